#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <renth/numeric/random.hpp>
#include <renth/store/store.hpp>

namespace renth {
namespace {

constexpr int schema_version = 2;
const char* const schema = R"(
CREATE TABLE batch (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, use TEXT NOT NULL, method TEXT NOT NULL,
  options TEXT NOT NULL, seed INTEGER NOT NULL, next INTEGER NOT NULL,
  created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE TABLE run (id INTEGER PRIMARY KEY AUTOINCREMENT, batch INTEGER NOT NULL REFERENCES batch(id),
  origin TEXT NOT NULL, block INTEGER NOT NULL, settings TEXT NOT NULL, status INTEGER NOT NULL DEFAULT 0,
  message TEXT NOT NULL DEFAULT '', seconds REAL NOT NULL DEFAULT 0, attempts INTEGER NOT NULL DEFAULT 0,
  set_aside TEXT, changed TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE INDEX run_of_batch ON run(batch);
CREATE TABLE output (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, response TEXT NOT NULL,
  value TEXT NOT NULL, PRIMARY KEY (run, response)) WITHOUT ROWID;
CREATE TABLE output_set_aside (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, response TEXT NOT NULL,
  why TEXT NOT NULL, PRIMARY KEY (run, response)) WITHOUT ROWID;
CREATE TABLE surrogate (id INTEGER PRIMARY KEY AUTOINCREMENT, response TEXT NOT NULL, kind TEXT NOT NULL,
  options TEXT NOT NULL, data_hash INTEGER NOT NULL, study_hash INTEGER NOT NULL, tried TEXT NOT NULL,
  why TEXT NOT NULL, archive_kind TEXT NOT NULL, version INTEGER NOT NULL, bytes BLOB NOT NULL, runs TEXT NOT NULL,
  folds TEXT NOT NULL, predicted BLOB NOT NULL, created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE INDEX surrogate_of_response ON surrogate(response);
CREATE TABLE fold_model (surrogate INTEGER NOT NULL REFERENCES surrogate(id) ON DELETE CASCADE, fold INTEGER NOT NULL,
  archive_kind TEXT NOT NULL, version INTEGER NOT NULL, bytes BLOB NOT NULL, PRIMARY KEY (surrogate, fold)) WITHOUT ROWID;
CREATE TABLE seek (id INTEGER PRIMARY KEY AUTOINCREMENT, document TEXT NOT NULL,
  created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE TABLE proposal (seek INTEGER NOT NULL REFERENCES seek(id) ON DELETE CASCADE, rank INTEGER NOT NULL,
  settings TEXT NOT NULL, PRIMARY KEY (seek, rank)) WITHOUT ROWID;
)";

/// Calls of the solver one by one: parts of runs, who ran what when, what a cluster was given.
const char* const schema_2 = R"(
ALTER TABLE run ADD COLUMN host TEXT NOT NULL DEFAULT '';
CREATE TABLE piece (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, point INTEGER NOT NULL,
  failed INTEGER NOT NULL, message TEXT NOT NULL, seconds REAL NOT NULL, PRIMARY KEY (run, point)) WITHOUT ROWID;
CREATE TABLE journal (id INTEGER PRIMARY KEY, run INTEGER NOT NULL, point INTEGER NOT NULL, attempt INTEGER NOT NULL,
  started REAL NOT NULL, seconds REAL NOT NULL, peak_memory REAL NOT NULL, host TEXT NOT NULL, user TEXT NOT NULL,
  command TEXT NOT NULL, inputs TEXT NOT NULL, outcome TEXT NOT NULL);
CREATE TABLE submission (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL, job TEXT NOT NULL,
  tasks INTEGER NOT NULL, open INTEGER NOT NULL DEFAULT 1, created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE TABLE submitted (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, point INTEGER NOT NULL,
  submission INTEGER NOT NULL REFERENCES submission(id), task INTEGER NOT NULL, PRIMARY KEY (run, point)) WITHOUT ROWID;
)";

using nlohmann::json;

/// NaN, which JSON has not, is null: a missing axis point.
std::string output_to_text(const Output& output) {
  json values = json::array();
  for (const double v : output.values) values.push_back(std::isfinite(v) ? json(v) : json(nullptr));
  return output.axis.empty() ? values.dump() : json{{"axis", output.axis}, {"values", values}}.dump();
}
}  // namespace

Output Store::output_from_text(const std::string& text) {
  const json document = json::parse(text);
  Output out;
  if (document.is_object()) out.axis = document["axis"].get<std::vector<double>>();
  for (const json& v : document.is_object() ? document["values"] : document)
    out.values.push_back(v.is_null() ? std::numeric_limits<double>::quiet_NaN() : v.get<double>());
  return out;
}

json to_json(const Settings& settings) {
  json out = json::object();
  for (const auto& [key, value] : settings) std::visit([&, k = key](const auto& v) { out[k] = v; }, value);
  return out;
}

Settings settings_from_json(const json& document) {
  Settings out;
  for (const auto& [key, value] : document.items()) {
    if (value.is_string())
      out[key] = value.get<std::string>();
    else
      out[key] = value.get<double>();
  }
  return out;
}

Store::Store(const std::filesystem::path& folder) : db_(folder / "study.db") {
  migrate();
}

void Store::migrate() {
  const auto version = [&] {
    Statement query = db_.prepare("PRAGMA user_version");
    query.step();
    return query.integer(0);
  };
  if (version() > schema_version)
    throw Error("the store was made by a newer renth", "study.db", "use that version or a newer one",
                ErrorKind::machine);
  if (version() == schema_version) return;
  db_.transaction([&] {
    if (version() == schema_version) return;  // another process was faster
    // Steps from one version to the next come here, oldest first.
    if (version() < 1) db_.execute(schema);
    if (version() < 2) db_.execute(schema_2);
    db_.execute(fmt::format("PRAGMA user_version = {}", schema_version));
  });
}

std::vector<Batch> Store::batches() {
  std::vector<Batch> out;
  Statement query = db_.prepare("SELECT id, name, use, method, options, seed, next FROM batch ORDER BY id");
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
    for (const Run& run : runs) ids.push_back(add_run(batch, run));
  });
  return ids;
}

std::int64_t Store::add_run(const std::string& b, const Run& run) {
  db_.prepare(
         "INSERT INTO run (batch, origin, block, settings) VALUES ((SELECT id FROM batch WHERE name = ?), ?, "
         "?, ?)")
      .bind(b)
      .bind(run.origin)
      .bind(run.block)
      .bind(to_json(run.settings).dump())
      .run();
  return db_.last_id();
}

int Store::discard(const std::string& wanted) {
  int count = 0;
  db_.transaction([&] {
    const auto b = batch(wanted);
    if (!b) throw Error("no batch is called " + wanted, "discard", "renth runs lists the batches");
    Statement query = db_.prepare("SELECT count(*) FROM run WHERE batch = ? AND status = 0");
    query.bind(b->id).step();
    count = static_cast<int>(query.integer(0));
    db_.prepare("DELETE FROM run WHERE batch = ? AND status = 0").bind(b->id).run();
    db_.prepare(
           "DELETE FROM batch WHERE id = ? AND NOT EXISTS (SELECT 1 FROM run WHERE batch = batch.id AND "
           "run.batch = ?)")
        .bind(b->id)
        .bind(b->id)
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
  r.settings = settings_from_json(json::parse(row.text(5)));
  r.status = static_cast<RunStatus>(row.integer(6));
  r.message = row.text(7);
  r.seconds = row.real(8);
  r.attempts = static_cast<int>(row.integer(9));
  if (!row.is_null(10)) r.set_aside = row.text(10);
  return r;
}

std::vector<Run> Store::read_runs(Statement& query) {
  std::vector<Run> out;
  std::map<std::int64_t, std::size_t> place;
  while (query.step()) {
    Run r = run_of_row(query);
    place[r.id] = out.size();
    out.push_back(std::move(r));
  }
  Statement outputs = db_.prepare("SELECT run, response, value FROM output");
  while (outputs.step())
    if (const auto at = place.find(outputs.integer(0)); at != place.end())
      out[at->second].responses[outputs.text(1)] = output_from_text(outputs.text(2));
  Statement aside = db_.prepare("SELECT run, response, why FROM output_set_aside");
  while (aside.step())
    if (const auto at = place.find(aside.integer(0)); at != place.end())
      out[at->second].response_set_aside[aside.text(1)] = aside.text(2);
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

void Store::set_status(std::int64_t run, RunStatus status, const std::string& message, double seconds,
                       int attempts) {
  db_.cached(
         "UPDATE run SET status = ?, message = ?, seconds = ?, attempts = ?, changed = CURRENT_TIMESTAMP "
         "WHERE id = ?")
      .bind(static_cast<int>(status))
      .bind(message)
      .bind(seconds)
      .bind(attempts)
      .bind(run)
      .run();
}

void Store::set_settings(std::int64_t run, const Settings& settings) {
  db_.prepare("UPDATE run SET settings = ? WHERE id = ?").bind(to_json(settings).dump()).bind(run).run();
}

void Store::set_outputs(std::int64_t run, const Outputs& outputs) {
  for (const auto& [response, output] : outputs)
    db_.cached("INSERT OR REPLACE INTO output (run, response, value) VALUES (?, ?, ?)")
        .bind(run)
        .bind(response)
        .bind(output_to_text(output))
        .run();
}

void Store::set_aside(std::int64_t run, const std::string& response, const std::optional<std::string>& why) {
  if (response.empty()) {
    db_.prepare("UPDATE run SET set_aside = ? WHERE id = ?").bind_optional(why).bind(run).run();
  } else if (why) {
    db_.prepare("INSERT OR REPLACE INTO output_set_aside (run, response, why) VALUES (?, ?, ?)")
        .bind(run)
        .bind(response)
        .bind(*why)
        .run();
  } else {
    db_.prepare("DELETE FROM output_set_aside WHERE run = ? AND response = ?").bind(run).bind(response).run();
  }
}

}  // namespace renth
