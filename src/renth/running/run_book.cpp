#include <fmt/format.h>
#include <pwd.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <renth/numeric/random.hpp>
#include <renth/running/run_book.hpp>
#include <renth/solver/digest.hpp>

namespace renth {
namespace {

std::uint64_t key_of(const Settings& settings) {
  return hash64(to_json(settings).dump());
}

/// Does it have all that the study asks for now? A response or an axis point may have been added since.
bool complete(const Study& study, const Outputs& outputs) {
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    const auto own = outputs.find(r.name);
    if (own == outputs.end()) return false;
    const std::vector<double> y = on_axis(study, r, own->second);
    if (!std::all_of(y.begin(), y.end(), [](double v) { return std::isfinite(v); })) return false;
  }
  return true;
}

std::string user_name() {
  const passwd* entry = getpwuid(geteuid());
  return entry ? entry->pw_name : std::to_string(geteuid());
}

}  // namespace

std::string host_name() {
  char text[256] = {};
  gethostname(text, sizeof text - 1);
  return text;
}

RunBook::RunBook(Session& session, const RunningOptions& options)
    : session_(session), study_(session.study), options_(options), host_(host_name()), user_(user_name()) {}

bool RunBook::wanted(std::int64_t run, const std::string& batch) const {
  return (options_.batch.empty() || batch == options_.batch) &&
         (options_.only.empty() ||
          std::find(options_.only.begin(), options_.only.end(), run) != options_.only.end());
}

/// The axis points of `per` at which a run has every curve along that axis, as the axis is today.
std::set<int> RunBook::points_done(const Outputs& outputs) const {
  std::set<int> out;
  for (int k = 0; k < static_cast<int>(study_.axes[study_.solver.per].points.size()); ++k) out.insert(k);
  for (const Response& r : study_.responses) {
    if (r.derive || r.axis != study_.solver.per) continue;
    const auto own = outputs.find(r.name);
    const std::vector<double> y = on_axis(study_, r, own == outputs.end() ? Output{} : own->second);
    for (std::size_t k = 0; k < y.size(); ++k)
      if (!std::isfinite(y[k])) out.erase(static_cast<int>(k));
  }
  return out;
}

/// Which calls a run still needs: with `per`, the axis points that have neither values nor a failure.
RunBook::Active& RunBook::activate(Run run) {
  const std::int64_t id = run.id;
  Active a;
  a.outputs = run.responses;
  a.attempts[-1] = run.attempts;
  if (study_.solver.per < 0) {
    a.open = {-1};
  } else {
    for (const Piece& p : session_.store.pieces(id)) {
      a.seconds += p.seconds;
      if (p.failed) a.failed[p.point] = p.message;
    }
    const std::set<int> done = points_done(a.outputs);
    for (int k = 0; k < static_cast<int>(study_.axes[study_.solver.per].points.size()); ++k)
      if (done.count(k) + a.failed.count(k) == 0) a.open.insert(k);
    for (const auto& [response, output] : a.outputs)
      if (output.axis.empty() && !done.empty()) a.scalar_from[response] = *done.begin();
  }
  a.run = std::move(run);
  return active_[id] = std::move(a);
}

std::vector<Call> RunBook::reopen(bool any_machine) {
  std::vector<Call> out;
  std::vector<std::int64_t> elsewhere;
  std::string where;
  for (const RunHead& head : session_.store.heads()) {
    if (head.status != RunStatus::running) continue;
    if (!any_machine && !head.host.empty() && head.host != host_ && !options_.put_back) {
      elsewhere.push_back(head.id);
      where = head.host;
      continue;
    }
    Active& a = activate(*session_.store.run(head.id));
    for (const int point : a.open) {
      a.attempts[point] = std::max(a.run.attempts, 1);
      out.push_back({head.id, point});
    }
    a.run.attempts = std::max(a.run.attempts - 1, 0);  // if it is put back, this attempt does not count
    if (a.open.empty()) close(head.id);
  }
  if (!elsewhere.empty())
    add_note(summary.notes, "elsewhere",
             fmt::format("{} runs (such as {}) were started on the machine {} and may still be running "
                         "there: renth run on that "
                         "machine takes them up; if it is lost, renth run --put-back plans them again",
                         elsewhere.size(), elsewhere.front(), where));
  return out;
}

void RunBook::choose() {
  const bool once = study_.solver.repeatable;
  waiting_.clear();  // what was put back is planned, and listed with the others
  std::set<std::int64_t> exist;
  makers_.emplace(session_);
  maker_ = makers_->today().empty() ? 0 : session_.store.maker(makers_->today());
  for (const Run& run : session_.store.runs()) {
    exist.insert(run.id);
    if (once && run.status == RunStatus::done && !run.set_aside && run.response_set_aside.empty() &&
        makers_->as_today(run.maker) && complete(study_, run.responses))
      known_.emplace(key_of(run.settings), run.id);
    if (active_.count(run.id) > 0 && once) leading_.emplace(key_of(run.settings), run.id);
    if (!wanted(run.id, run.batch) || active_.count(run.id) > 0) continue;
    bool take = run.status == RunStatus::planned;
    if (options_.retry_failed && !take) {
      take = run.status == RunStatus::failed;
      // With one call an axis point, a run can be done and yet lack some points.
      if (study_.solver.per >= 0 && run.status == RunStatus::done)
        take = points_done(run.responses).size() < study_.axes[study_.solver.per].points.size();
      if (take) {
        session_.store.drop_failed_pieces(run.id);
        session_.store.set_status(run.id, RunStatus::planned, run.message, run.seconds, 0);
      }
    }
    if (take) waiting_.push_back(run.id);
  }
  for (const std::int64_t id : options_.only)
    if (exist.count(id) == 0)
      throw Error(fmt::format("there is no run {}", id), "--only", "renth runs lists them");
  progress.total = static_cast<int>(waiting_.size() + active_.size()) + progress.done + progress.failed;
}

/// The same settings were computed before, or are being computed: a repeatable solver gives the same again.
bool RunBook::copied(const Run& run) {
  if (!study_.solver.repeatable) return false;
  const std::uint64_t key = key_of(run.settings);
  if (const auto found = known_.find(key); found != known_.end() && found->second != run.id) {
    const auto other = session_.store.run(found->second);
    if (other && other->settings == run.settings) {
      store_done(run, other->responses, fmt::format("same settings as run {}", other->id), 0, run.attempts,
                 other->maker);
      ++summary.copied;
      return true;
    }
  }
  if (const auto found = failed_.find(key); found != failed_.end()) {
    const auto other = session_.store.run(found->second.first);
    if (other && other->settings == run.settings) {
      store_failed(run,
                   fmt::format("same settings as run {}, which failed: {}", other->id, found->second.second),
                   0, run.attempts);
      return true;
    }
  }
  if (const auto found = leading_.find(key); found != leading_.end() && found->second != run.id) {
    const auto active = active_.find(found->second);
    if (active != active_.end() && active->second.run.settings == run.settings) {
      followers_[found->second].push_back(run.id);
      return true;
    }
  }
  return false;
}

std::optional<Run> RunBook::next_run() {
  while (!waiting_.empty()) {
    const std::int64_t id = waiting_.front();
    waiting_.pop_front();
    auto run = session_.store.run(id);
    if (!run || run->status != RunStatus::planned) continue;  // discarded, or settled since
    if (!copied(*run)) return run;
  }
  return std::nullopt;
}

void RunBook::empty_folder(Call call) const {
  std::error_code error;
  std::filesystem::remove_all(RunFolder::of(study_, call).folder, error);
}

std::vector<Call> RunBook::claim() {
  auto run = next_run();
  if (!run) return {};
  const std::int64_t id = run->id;
  if (study_.solver.repeatable) leading_.emplace(key_of(run->settings), id);
  Active& a = activate(std::move(*run));
  std::vector<Call> out;
  if (a.open.empty()) {  // all points had ended, but the run was not closed
    close(id);
    return claim();
  }
  // The folders are emptied before the run counts as running: what a running run has in its folder is
  // then always its own, and can be adopted.
  if (a.outputs.empty() && a.failed.empty()) empty_folder({id, -1});
  for (const int point : a.open) {
    if (point >= 0) empty_folder({id, point});
    out.push_back({id, point});
  }
  session_.store.set_status(id, RunStatus::running, "", 0, a.run.attempts + 1,
                            a.outputs.empty() ? maker_ : a.run.maker);  // else a part of it is older
  session_.store.set_host(id, host_);
  for (const int point : a.open) a.attempts[point] = a.run.attempts + 1;
  return out;
}

Outputs RunBook::with_axes(const std::map<std::string, std::vector<double>>& values) const {
  Outputs out;
  for (const auto& [response, v] : values) {
    const Axis* axis = study_.axis_of(study_.responses[study_.response(response)]);
    out[response] = {v, axis ? axis->points : std::vector<double>{}};
  }
  return out;
}

void RunBook::merge(Active& a, int point, const Collected& got) {
  for (const std::string& remark : got.remarks) a.remarks.push_back(remark);
  if (point < 0) {
    a.outputs = with_axes(got.values);
    return;
  }
  for (const auto& [response, values] : got.values) {
    const Response& r = study_.responses[study_.response(response)];
    Output& own = a.outputs[response];
    if (r.axis == study_.solver.per) {
      const std::vector<double>& axis = study_.axes[r.axis].points;
      if (own.axis != axis) own = {on_axis(study_, r, own), axis};  // a new axis point came since
      own.values[static_cast<std::size_t>(point)] = values.front();
    } else if (const auto from = a.scalar_from.find(response);
               from == a.scalar_from.end() || point < from->second) {
      // What is no curve comes from the first axis point that gave it.
      own = with_axes({{response, values}})[response];
      a.scalar_from[response] = point;
    }
  }
}

void RunBook::journal(Call call, const Active& a, const Outcome& o, const CallRecord& record,
                      const std::string& outcome) {
  const auto attempt = a.attempts.find(call.point);
  session_.store.add_to_journal({call.run, call.point,
                                 attempt == a.attempts.end() ? 1 : std::max(attempt->second, 1), o.started,
                                 o.seconds, o.peak_memory, record.host.empty() ? host_ : record.host, user_,
                                 record.command, record.inputs, outcome});
}

bool RunBook::ended(Call call, const Outcome& outcome, const CallRecord& record) {
  Active& a = active_.at(call.run);
  if (outcome.how == Outcome::How::stopped) {
    journal(call, a, outcome, record, "stopped on request");
    put_back(call);
    return false;
  }
  std::string problem;
  if (outcome.how == Outcome::How::exited && outcome.code == 0) {
    try {
      const RunFolder files = RunFolder::of(study_, call);
      const Collected got = collect_outputs(study_, OutputFiles::of(files));
      merge(a, call.point, got);
    } catch (const Error& e) {
      problem = fmt::format("{} ({})", e.problem(), e.place());
    }
  } else {
    problem = describe(outcome);
    const std::string words = last_words(RunFolder::of(study_, call).folder);
    if (!words.empty()) problem += ": " + words;
    if (study_.solver.memory > 0 && outcome.how != Outcome::How::timed_out &&
        outcome.how != Outcome::How::not_started)
      problem += fmt::format(" (memory is limited to {:.4g} MB, it had used {:.4g})",
                             static_cast<double>(study_.solver.memory) / 1e6, outcome.peak_memory / 1e6);
  }
  if (!problem.empty()) {
    if (outcome.disk_left >= 0 && outcome.disk_left < 1e6)
      problem += fmt::format(" (the disk was full: {:.0f} kB were left)", outcome.disk_left / 1e3);
    return failed(call, problem, outcome.how != Outcome::How::not_started, outcome, record);
  }
  journal(call, a, outcome, record, "done");
  a.seconds += outcome.seconds;
  if (call.point >= 0) {
    session_.store.set_piece(call.run, {call.point, false, "", outcome.seconds});
    session_.store.set_outputs(call.run, a.outputs);
  }
  end(a, call);
  return false;
}

bool RunBook::failed(Call call, const std::string& problem, bool may_retry, const Outcome& outcome,
                     const CallRecord& record) {
  Active& a = active_.at(call.run);
  journal(call, a, outcome, record, problem);
  if (may_retry && a.attempts[call.point] <= study_.solver.retries) {
    ++a.attempts[call.point];
    if (call.point < 0)
      session_.store.set_status(call.run, RunStatus::running, problem, 0, a.attempts[call.point]);
    empty_folder(call);
    return true;
  }
  a.failed[call.point] = problem;
  a.seconds += outcome.seconds;
  if (call.point >= 0) session_.store.set_piece(call.run, {call.point, true, problem, outcome.seconds});
  end(a, call);
  return false;
}

void RunBook::put_back(Call call) {
  Active& a = active_.at(call.run);
  a.unfinished = true;
  end(a, call);
}

void RunBook::end(Active& a, Call call) {
  a.open.erase(call.point);
  if (a.open.empty()) close(call.run);
}

/// All calls of a run have ended.
void RunBook::close(std::int64_t id) {
  const Active a = std::move(active_.at(id));
  active_.erase(id);
  if (const auto leader = leading_.find(key_of(a.run.settings));
      leader != leading_.end() && leader->second == id)
    leading_.erase(leader);
  if (a.unfinished) {
    session_.store.set_status(id, RunStatus::planned, "", 0, a.run.attempts);
    if (wanted(id, a.run.batch)) waiting_.push_back(id);
    if (const auto found = followers_.find(id); found != followers_.end()) {
      waiting_.insert(waiting_.end(), found->second.begin(), found->second.end());
      followers_.erase(found);
    }
    return;
  }
  const int attempts = a.attempts.empty() ? 1 : a.attempts.begin()->second;
  std::string message;
  for (const std::string& remark : a.remarks) message += (message.empty() ? "" : "; ") + remark;
  if (a.failed.count(-1) > 0) {
    message = a.failed.at(-1);
  } else if (!a.failed.empty()) {
    const Axis& axis = study_.axes[study_.solver.per];
    std::map<std::string, std::string> points;  // reason → where
    for (const auto& [point, why] : a.failed)
      points[why] +=
          fmt::format("{}{}", points[why].empty() ? "" : ", ", axis.points[static_cast<std::size_t>(point)]);
    for (const auto& [why, where] : points)
      message += fmt::format("{}{} {}: {}", message.empty() ? "" : "; ", axis.name, where, why);
  }
  const bool all_failed =
      a.failed.size() == (study_.solver.per < 0 ? 1 : study_.axes[study_.solver.per].points.size());
  if (all_failed) {
    store_failed(a.run, message, a.seconds, attempts);
    if (study_.solver.repeatable) failed_.emplace(key_of(a.run.settings), std::pair(id, message));
    settle_followers(id, nullptr, message);
    return;
  }
  store_done(a.run, a.outputs, message, a.seconds, attempts);
  if (!a.failed.empty()) {
    ++summary.partial;
    summary.failures.emplace_back(id, "in part: " + message);
    progress.last = fmt::format("run {} failed in part: {}", id, message);
  }
  settle_followers(id, &a.outputs, message);
}

void RunBook::settle_followers(std::int64_t leader, const Outputs* outputs, const std::string& message) {
  const auto found = followers_.find(leader);
  if (found == followers_.end()) return;
  const std::vector<std::int64_t> ids = std::move(found->second);
  followers_.erase(found);
  for (const std::int64_t id : ids) {
    const auto run = session_.store.run(id);
    if (!run) continue;
    const std::string same = fmt::format("same settings as run {}", leader);
    if (outputs) {
      store_done(*run, *outputs, message.empty() ? same : same + ": " + message, 0, run->attempts, maker_);
      ++summary.copied;
    } else {
      store_failed(*run, fmt::format("{}, which failed: {}", same, message), 0, run->attempts);
    }
  }
}

void RunBook::store_done(const Run& run, const Outputs& outputs, const std::string& message, double seconds,
                         int attempts, std::optional<std::int64_t> maker) {
  session_.store.set_outputs(run.id, outputs);
  session_.store.set_status(run.id, RunStatus::done, message, seconds, attempts, maker);
  if (study_.solver.repeatable && complete(study_, outputs)) known_.emplace(key_of(run.settings), run.id);
  ++summary.done;
  ++progress.done;
}

void RunBook::store_failed(const Run& run, const std::string& message, double seconds, int attempts,
                           std::optional<std::int64_t> maker) {
  session_.store.set_status(run.id, RunStatus::failed, message, seconds, attempts, maker);
  summary.failures.emplace_back(run.id, message);
  ++summary.failed;
  ++progress.failed;
  progress.last = fmt::format("run {} failed: {}", run.id, message);
}

}  // namespace renth
