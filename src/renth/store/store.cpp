#include <fmt/format.h>

#include <algorithm>
#include <renth/numeric/random.hpp>
#include <renth/store/schema.hpp>
#include <renth/store/store.hpp>
#include <renth/store/stored_text.hpp>

namespace renth {
namespace {

using nlohmann::json;

/// How many folders of finished runs a study has.
int finished_runs(const std::filesystem::path& folder) {
  namespace fs = std::filesystem;
  int count = 0;
  std::error_code error;
  for (const fs::directory_entry& run : fs::directory_iterator(folder / "runs", error)) {
    const fs::path outcome = run.path() / "outcome";
    const bool ended = fs::is_regular_file(outcome, error) && fs::file_size(outcome, error) > 0;
    count += ended || fs::exists(run.path() / "point-01" / "outcome", error);
  }
  return count;
}

}  // namespace

Store::Store(const std::filesystem::path& folder, Opening opening) : db_(folder / "study.db") {
  Statement query = db_.prepare("PRAGMA user_version");
  query.step();
  if (const bool is_new = query.integer(0) == 0; is_new && opening == Opening::usual)
    if (const int runs = finished_runs(folder); runs > 0)
      throw Error(fmt::format("the store is empty, and there are folders of {} finished run{}", runs,
                              runs == 1 ? "" : "s"),
                  (folder / "study.db").string(),
                  "put study.db back from a copy; or take the runs in again: renth import runs; or, to begin "
                  "anew, move the folder runs away",
                  ErrorKind::machine);
  query.reset();
  migrate(db_);
  db_.refuse_writing();
}

std::vector<Batch> Store::batches() {
  std::vector<Batch> out;
  Statement query = db_.prepare("SELECT id, name, use, method, options, seed, next, " RENTH_SOUND_BATCH
                                " FROM batch ORDER BY id");
  while (query.step()) {
    Batch b;
    b.id = query.integer(0);
    b.name = query.text(1);
    b.use = query.text(2);
    b.method = query.text(3);
    b.options = json::parse(query.text(4)).get<std::map<std::string, std::string>>();
    b.seed = static_cast<Seed>(query.integer(5));
    b.next = static_cast<std::uint64_t>(query.integer(6));
    out.push_back(std::move(b));
  }
  return out;
}

std::optional<Batch> Store::batch(const std::string& wanted) {
  for (Batch& b : batches())
    if (b.name == wanted) return std::move(b);
  return std::nullopt;
}

std::vector<std::int64_t> Store::add_batch(const Batch& b, const std::vector<Run>& runs) {
  std::vector<std::int64_t> ids;
  db_.transaction([&] {
    if (batch(b.name))
      throw Error(fmt::format("there is a batch {} already", b.name), "--batch " + b.name,
                  "choose another name, or discard it");
    db_.prepare("INSERT INTO batch (name, use, method, options, seed, next) VALUES (?, ?, ?, ?, ?, ?)")
        .bind(b.name)
        .bind(b.use)
        .bind(b.method)
        .bind(json(b.options).dump())
        .bind(static_cast<std::int64_t>(b.seed))
        .bind(static_cast<std::int64_t>(b.next))
        .run();
    seal_batch(b.name);
    for (const Run& run : runs) ids.push_back(add_run(b.name, run));
  });
  return ids;
}

std::vector<std::int64_t> Store::extend_batch(const std::string& batch, const std::vector<Run>& runs,
                                              std::uint64_t next) {
  std::vector<std::int64_t> ids;
  db_.transaction([&] {
    db_.prepare("UPDATE batch SET next = ? WHERE name = ?")
        .bind(static_cast<std::int64_t>(next))
        .bind(batch)
        .run();
    seal_batch(batch);
    for (const Run& run : runs) ids.push_back(add_run(batch, run));
  });
  return ids;
}

std::int64_t Store::add_run(const std::string& b, const Run& run) {
  db_.cached(
         "INSERT INTO run (batch, origin, block, settings) VALUES ((SELECT id FROM batch WHERE name = ?), ?, "
         "?, ?)")
      .bind(b)
      .bind(run.origin)
      .bind(run.block)
      .bind(settings_to_text(run.settings))
      .run();
  const std::int64_t id = db_.last_id();
  seal_run(id);
  return id;
}

void Store::take_in(std::int64_t id, const Run& run) {
  db_.transaction([&] {
    if (this->run(id))
      throw Error(fmt::format("there is a run {} already", id), "study.db", "leave it as it is");
    if (!batch(run.batch)) add_batch({0, run.batch, run.use, "taken-in", {}, 0, 0}, {});
    db_.cached(
           "INSERT INTO run (id, batch, origin, block, settings) VALUES (?, (SELECT id FROM batch WHERE name "
           "= "
           "?), ?, ?, ?)")
        .bind(id)
        .bind(run.batch)
        .bind(run.origin)
        .bind(run.block)
        .bind(settings_to_text(run.settings))
        .run();
    seal_run(id);
  });
}

void Store::seal_batch(const std::string& wanted) {
  db_.cached("UPDATE batch SET checksum = renth_checksum(" RENTH_BATCH_VALUES ") WHERE name = ?")
      .bind(wanted)
      .run();
}

void Store::seal_run(std::int64_t run) {
  db_.cached("UPDATE run SET checksum = renth_checksum(" RENTH_RUN_VALUES ") WHERE id = ?").bind(run).run();
}

std::int64_t Store::maker(const std::string& document) {
  const auto known = [&] {
    Statement query = db_.prepare("SELECT id FROM maker WHERE document = ?");
    return query.bind(document).step() ? query.integer(0) : 0;
  };
  if (const std::int64_t id = known()) return id;
  db_.prepare("INSERT OR IGNORE INTO maker (document) VALUES (?)").bind(document).run();
  return known();
}

std::map<std::int64_t, std::string> Store::makers() {
  std::map<std::int64_t, std::string> out;
  Statement query = db_.prepare("SELECT id, document FROM maker");
  while (query.step()) out.emplace(query.integer(0), query.text(1));
  return out;
}

Batch Store::need_batch(const std::string& name, const std::string& place) {
  if (auto found = batch(name)) return *found;
  std::vector<std::string> known;
  for (const Batch& b : batches()) known.push_back(b.name);
  if (known.empty()) throw Error("unknown batch " + name, place, "there is none yet: renth plan makes one");
  refuse_unknown("batch", name, place, known);
}

int Store::discard(const std::string& wanted) {
  int count = 0;
  db_.transaction([&] {
    const Batch b = need_batch(wanted, "discard");
    Statement query = db_.prepare("SELECT count(*) FROM run WHERE batch = ? AND status = 0");
    query.bind(b.id).step();
    count = static_cast<int>(query.integer(0));
    db_.prepare("DELETE FROM run WHERE batch = ? AND status = 0").bind(b.id).run();
    db_.prepare(
           "DELETE FROM batch WHERE id = ? AND NOT EXISTS (SELECT 1 FROM run WHERE batch = batch.id AND "
           "run.batch = ?)")
        .bind(b.id)
        .bind(b.id)
        .run();
  });
  return count;
}

Run Store::run_of_row(const Statement& row) {
  Run r;
  r.id = row.integer(0);
  r.batch = row.text(1);
  r.use = row.text(2);
  r.origin = row.text(3);
  r.block = static_cast<int>(row.integer(4));
  r.settings = settings_from_text(row.view(5));
  r.status = static_cast<RunStatus>(row.integer(6));
  r.message = row.text(7);
  r.seconds = row.real(8);
  r.attempts = static_cast<int>(row.integer(9));
  if (!row.is_null(10)) r.set_aside = row.text(10);
  r.maker = row.integer(11);
  return r;
}

std::vector<Run> Store::read_runs(Statement& query) {
  std::vector<Run> out;
  while (query.step()) out.push_back(run_of_row(query));  // by ascending id
  const auto of = [&](std::int64_t id) {
    const auto at = std::lower_bound(out.begin(), out.end(), id,
                                     [](const Run& run, std::int64_t wanted) { return run.id < wanted; });
    return at != out.end() && at->id == id ? &*at : nullptr;
  };
  Statement outputs =
      db_.prepare("SELECT run, response, value, " RENTH_SOUND_OUTPUT " FROM output ORDER BY run, response");
  Run* run = nullptr;
  while (outputs.step()) {
    if (!run || run->id != outputs.integer(0)) run = of(outputs.integer(0));
    if (run)
      run->responses.emplace_hint(run->responses.end(), outputs.text(1), output_from_text(outputs.view(2)));
  }
  Statement aside = db_.prepare("SELECT run, response, why, " RENTH_SOUND_ASIDE " FROM output_set_aside");
  while (aside.step())
    if (Run* const found = of(aside.integer(0))) found->response_set_aside[aside.text(1)] = aside.text(2);
  return out;
}

std::vector<Run> Store::runs() {
  Statement query = db_.prepare(std::string(select_runs) + "ORDER BY run.id");
  return read_runs(query);
}

std::vector<Run> Store::runs_of(const std::string& wanted) {
  Statement query = db_.prepare(std::string(select_runs) + "WHERE batch.name = ? ORDER BY run.id");
  query.bind(wanted);
  return read_runs(query);
}

void Store::read_done(const std::function<void(const RunRow&)>& run, const std::function<void()>& runs_read,
                      const std::function<void(std::int64_t, std::string_view, std::string_view)>& output,
                      const std::function<void(std::int64_t, std::string_view)>& aside) {
  db_.reading([&] {
    Statement runs =
        db_.prepare("SELECT id, batch, block, settings, set_aside IS NOT NULL, maker, " RENTH_SOUND_RUN
                    " FROM run WHERE status = 2 ORDER BY id");
    while (runs.step())
      run({runs.integer(0), runs.integer(1), static_cast<int>(runs.integer(2)), runs.view(3),
           runs.integer(4) != 0, runs.integer(5)});
    runs_read();
    Statement outputs =
        db_.prepare("SELECT run, response, value, " RENTH_SOUND_OUTPUT " FROM output ORDER BY run, response");
    while (outputs.step()) output(outputs.integer(0), outputs.view(1), outputs.view(2));
    Statement asides = db_.prepare("SELECT run, response, " RENTH_SOUND_ASIDE " FROM output_set_aside");
    while (asides.step()) aside(asides.integer(0), asides.view(1));
  });
}

std::int64_t Store::revision() {
  return counted("SELECT runs FROM revision");
}

std::int64_t Store::revision_of_fitted() {
  return counted("SELECT fitted FROM revision");
}

std::int64_t Store::counted(const char* query_text) {
  Statement& query = db_.cached(query_text);
  query.step();
  const std::int64_t out = query.integer(0);
  query.reset();
  return out;
}

void Store::set_status(std::int64_t run, RunStatus status, const std::string& message, double seconds,
                       int attempts, std::optional<std::int64_t> maker) {
  db_.cached(
         "UPDATE run SET status = ?, message = ?, seconds = ?, attempts = ?, maker = CASE WHEN ? < 0 THEN "
         "maker ELSE ?5 END, changed = CURRENT_TIMESTAMP WHERE id = ?")
      .bind(static_cast<int>(status))
      .bind(message)
      .bind(seconds)
      .bind(attempts)
      .bind(maker.value_or(-1))
      .bind(run)
      .run();
  seal_run(run);
}

void Store::set_settings(std::int64_t run, const Settings& settings) {
  db_.prepare("UPDATE run SET settings = ? WHERE id = ?").bind(settings_to_text(settings)).bind(run).run();
  seal_run(run);
}

void Store::set_outputs(std::int64_t run, const Outputs& outputs) {
  for (const auto& [response, output] : outputs)
    db_.cached(
           "INSERT OR REPLACE INTO output (run, response, value, checksum) VALUES (?1, ?2, ?3, "
           "renth_checksum(?1, ?2, ?3))")
        .bind(run)
        .bind(response)
        .bind(output_to_text(output))
        .run();
}

void Store::set_aside(std::int64_t run, const std::string& response, const std::optional<std::string>& why) {
  if (response.empty()) {
    db_.prepare("UPDATE run SET set_aside = ? WHERE id = ?").bind_optional(why).bind(run).run();
    seal_run(run);
  } else if (why) {
    db_.prepare(
           "INSERT OR REPLACE INTO output_set_aside (run, response, why, checksum) VALUES (?1, ?2, ?3, "
           "renth_checksum(?1, ?2, ?3))")
        .bind(run)
        .bind(response)
        .bind(*why)
        .run();
  } else {
    db_.prepare("DELETE FROM output_set_aside WHERE run = ? AND response = ?").bind(run).bind(response).run();
  }
}

}  // namespace renth
