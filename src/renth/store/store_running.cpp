// What running needs of the store: statements that are called for every run, kept prepared.
#include <renth/store/store.hpp>
#include <renth/store/stored_text.hpp>

namespace renth {

std::optional<Run> Store::run(std::int64_t id) {
  static const std::string one_run = std::string(select_runs) + "WHERE run.id = ?";
  Statement& query = db_.cached(one_run.c_str());
  if (!query.bind(id).step()) return std::nullopt;
  Run out = run_of_row(query);
  query.reset();  // else it holds a view of the store open
  Statement& outputs = db_.cached("SELECT response, value, " RENTH_SOUND_OUTPUT " FROM output WHERE run = ?");
  outputs.bind(id);
  while (outputs.step()) out.responses[outputs.text(0)] = output_from_text(outputs.view(1));
  return out;
}

std::vector<RunHead> Store::heads() {
  std::vector<RunHead> out;
  Statement query = db_.prepare(
      "SELECT run.id, batch.name, status, host FROM run JOIN batch ON batch.id = run.batch ORDER BY run.id");
  while (query.step())
    out.push_back({query.integer(0), query.text(1), static_cast<RunStatus>(query.integer(2)), query.text(3)});
  return out;
}

void Store::set_host(std::int64_t run, const std::string& host) {
  db_.cached("UPDATE run SET host = ? WHERE id = ?").bind(host).bind(run).run();
}

std::vector<Piece> Store::pieces(std::int64_t run) {
  Statement& query =
      db_.cached("SELECT point, failed, message, seconds FROM piece WHERE run = ? ORDER BY point");
  query.bind(run);
  std::vector<Piece> out;
  while (query.step())
    out.push_back({static_cast<int>(query.integer(0)), query.integer(1) != 0, query.text(2), query.real(3)});
  return out;
}
void Store::set_piece(std::int64_t run, const Piece& p) {
  db_.cached("INSERT OR REPLACE INTO piece (run, point, failed, message, seconds) VALUES (?, ?, ?, ?, ?)")
      .bind(run)
      .bind(p.point)
      .bind(static_cast<int>(p.failed))
      .bind(p.message)
      .bind(p.seconds)
      .run();
}
void Store::drop_failed_pieces(std::int64_t run) {
  db_.cached("DELETE FROM piece WHERE run = ? AND failed = 1").bind(run).run();
}

void Store::add_to_journal(const JournalEntry& e) {
  db_.cached(
         "INSERT INTO journal (run, point, attempt, started, seconds, peak_memory, host, user, command, "
         "inputs, outcome) "
         "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
      .bind(e.run)
      .bind(e.point)
      .bind(e.attempt)
      .bind(e.started)
      .bind(e.seconds)
      .bind(e.peak_memory)
      .bind(e.host)
      .bind(e.user)
      .bind(e.command)
      .bind(e.inputs)
      .bind(e.outcome)
      .run();
}
std::vector<JournalEntry> Store::journal() {
  Statement query = db_.prepare(
      "SELECT run, point, attempt, started, seconds, peak_memory, host, user, command, inputs, outcome FROM "
      "journal ORDER BY id");
  std::vector<JournalEntry> out;
  while (query.step()) {
    JournalEntry e;
    e.run = query.integer(0);
    e.point = static_cast<int>(query.integer(1));
    e.attempt = static_cast<int>(query.integer(2));
    e.started = query.real(3);
    e.seconds = query.real(4);
    e.peak_memory = query.real(5);
    e.host = query.text(6);
    e.user = query.text(7);
    e.command = query.text(8);
    e.inputs = query.text(9);
    e.outcome = query.text(10);
    out.push_back(std::move(e));
  }
  return out;
}

std::int64_t Store::add_submission(const Submission& s, const std::vector<Submitted>& calls) {
  db_.prepare("INSERT INTO submission (name, job, tasks) VALUES (?, ?, ?)")
      .bind(s.name)
      .bind(s.job)
      .bind(s.tasks)
      .run();
  const std::int64_t id = db_.last_id();
  for (const Submitted& c : calls)
    db_.cached("INSERT OR REPLACE INTO submitted (run, point, submission, task) VALUES (?, ?, ?, ?)")
        .bind(c.run)
        .bind(c.point)
        .bind(id)
        .bind(c.task)
        .run();
  return id;
}
void Store::set_submission(const Submission& s) {
  db_.prepare("UPDATE submission SET job = ?, tasks = ?, open = ? WHERE id = ?")
      .bind(s.job)
      .bind(s.tasks)
      .bind(static_cast<int>(s.open))
      .bind(s.id)
      .run();
}
std::vector<Submission> Store::open_submissions() {
  Statement query = db_.prepare("SELECT id, name, job, tasks FROM submission WHERE open = 1 ORDER BY id");
  std::vector<Submission> out;
  while (query.step())
    out.push_back({query.integer(0), query.text(1), query.text(2), static_cast<int>(query.integer(3)), true});
  return out;
}
std::vector<Submitted> Store::submitted() {
  Statement query =
      db_.prepare("SELECT submission, task, run, point FROM submitted ORDER BY submission, task, run, point");
  std::vector<Submitted> out;
  while (query.step())
    out.push_back({query.integer(0), static_cast<int>(query.integer(1)), query.integer(2),
                   static_cast<int>(query.integer(3))});
  return out;
}
void Store::forget_submitted(std::int64_t run, int point) {
  db_.cached("DELETE FROM submitted WHERE run = ? AND point = ?").bind(run).bind(point).run();
}

}  // namespace renth
