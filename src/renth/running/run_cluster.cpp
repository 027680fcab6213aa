#include <fmt/format.h>
#include <poll.h>

#include <algorithm>
#include <renth/running/calls_for_later.hpp>
#include <renth/running/run_cluster.hpp>
#include <renth/running/stopwatch.hpp>
#include <renth/solver/digest.hpp>
#include <renth/solver/keeper.hpp>
#include <renth/solver/slurm.hpp>
#include <renth/table/whole_file.hpp>

namespace renth {
namespace {

class Cluster {
 public:
  Cluster(Session& session, const RunningOptions& options, RunBook& book, int lock)
      : session_(session),
        study_(session.study),
        options_(options),
        book_(book),
        renderer_(session.study),
        slurm_(lock) {}

  void run() {
    take_up();
    close_submissions();
    if (options_.cancel) cancel();
    if (!out_.empty()) look(true);
    // Whoever asked only to collect, or to cancel, wants no new tasks.
    const bool submitting = options_.submit && !options_.cancel;
    if (submitting) {
      session_.store.transaction([&] { book_.choose(); });
      submit();
    }
    while (options_.wait && !(out_.empty() && (!submitting || again_.empty()))) {
      if (options_.stop() > 0) break;
      report();
      wait();
      look(false);
      if (submitting) submit();
    }
    book_.summary.queued = static_cast<int>(out_.size());
    book_.summary.scheduler_calls = slurm_.calls();
    if (!again_.empty()) give_back(again_.take_all());
    if (!out_.empty())
      add_note(book_.summary.notes, "queued",
               fmt::format("{} calls are with the cluster: renth run waits for them, renth run --collect "
                           "takes what has ended, "
                           "renth run --cancel ends them",
                           out_.size()));
    book_.summary.stopped = !out_.empty() && options_.wait;
  }

 private:
  struct Rendered {
    Call call;
    std::vector<RenderedFile> files;
  };
  struct Out {
    std::int64_t submission = 0;
    int task = 0;
    int looks_without = 0;  // times that neither the queue nor the folder had it
  };

  std::filesystem::path folder_of(const std::string& name) const {
    return std::filesystem::path(study_.absolute_folder) / "cluster" / name;
  }
  std::filesystem::path folder_of(Call call) const { return RunFolder::of(study_, call).folder; }

  /// What an earlier renth gave to the cluster.
  void take_up() {
    std::map<Call, Submitted> known;
    for (const Submitted& s : session_.store.submitted()) known[{s.run, s.point}] = s;
    for (const Submission& s : session_.store.open_submissions()) submissions_[s.id] = s;
    std::vector<Call> lost;
    session_.store.transaction([&] {
      for (const Call call : book_.reopen(true))
        if (const auto found = known.find(call);
            found != known.end() && submissions_.count(found->second.submission) > 0) {
          out_[call] = {found->second.submission, found->second.task, 0};
          ++book_.summary.adopted;
        } else {
          lost.push_back(call);
        }
      // The study ran on this machine before.
      if (!lost.empty() && Keeper::find(study_.folder))
        throw Error("solvers of this study are still running on this machine", "study.toml [solver]",
                    "wait until they have ended, or put kind = \"process\" back", ErrorKind::machine);
      for (const Call call : lost)
        if (const auto outcome = read_outcome(folder_of(call)))
          settle(call, *outcome);
        else
          book_.put_back(call);
    });
    bool unsure = false;
    for (const auto& [id, s] : submissions_) unsure = unsure || s.job.empty();
    if (unsure) find_lost_submissions();
  }

  /// Killed between submitting and noting the number: the cluster knows the name, or the tasks left traces.
  /// The study's lock was free, so no sbatch is under way.
  void find_lost_submissions() {
    slurm_.states();
    for (auto& [id, s] : submissions_) {
      if (!s.job.empty()) continue;
      if (const auto found = slurm_.jobs_by_name().find(s.name); found != slurm_.jobs_by_name().end())
        s.job = found->second;
      for (const auto& [call, o] : out_)
        if (s.job.empty() && o.submission == id) s.job = started(call).job;
      session_.store.transaction([&, id = id, &s = s] {
        if (!s.job.empty()) return session_.store.set_submission(s);
        std::vector<Call> never;
        for (const auto& [call, o] : out_)
          if (o.submission == id) never.push_back(call);
        for (const Call call : never) settle_back(call);
      });
    }
  }

  void cancel() {
    std::vector<std::string> jobs;
    for (const auto& [id, s] : submissions_)
      if (!s.job.empty()) jobs.push_back(s.job);
    slurm_.cancel(jobs);
    // Until the tasks have let go; a task that ignores it is killed by the cluster.
    for (int round = 0; round < 30 && !out_.empty() && options_.stop() == 0; ++round) {
      look(false);
      if (!out_.empty()) pause(1);
    }
  }

  /// Asks the cluster once, and collects every call that has ended.
  void look(bool first) {
    if (out_.empty()) return;
    std::map<std::pair<std::string, int>, TaskState> states;
    try {
      states = slurm_.states();
    } catch (const Error& e) {
      if (first || !options_.wait) throw;
      // A weekend's waiting must outlive a restart of the scheduler. What has ended is collected all the
      // same.
      add_note(book_.summary.notes, "scheduler_silent", e.problem());
      asked_ = Clock::now();
      settle_ended();
      return;
    }
    asked_ = Clock::now();
    waiting_tasks_ = running_tasks_ = 0;
    for (const auto& [key, state] : states) {
      const bool ours = std::any_of(submissions_.begin(), submissions_.end(),
                                    [&, j = key.first](const auto& s) { return s.second.job == j; });
      if (ours && state == TaskState::waiting) ++waiting_tasks_;
      if (ours && state == TaskState::running) ++running_tasks_;
    }
    settle_ended();
    std::vector<std::pair<Call, TaskState>> over;
    bool unsure = false;
    for (auto& [call, o] : out_) {
      const auto found = states.find({submissions_.at(o.submission).job, o.task});
      const TaskState state = found == states.end() ? TaskState::gone : found->second;
      if (state == TaskState::waiting || state == TaskState::running) continue;
      // A file can be seen a little later than the end of its task: look twice.
      const bool maybe_late = state == TaskState::gone || state == TaskState::completed;
      if (maybe_late && ++o.looks_without < 2)
        unsure = true;
      else
        over.emplace_back(call, state);
    }
    if (!over.empty())
      session_.store.transaction([&] {
        for (const auto& [call, state] : over) settle_without_outcome(call, state);
      });
    if (!over.empty()) changed_ = Clock::now();
    close_submissions();
    if (unsure && first) {
      pause(2);
      look(false);
    }
  }

  void settle_ended() {
    std::vector<std::pair<Call, Outcome>> ended;
    for (const auto& [call, o] : out_)
      if (const auto outcome = read_outcome(folder_of(call))) ended.emplace_back(call, *outcome);
    if (ended.empty()) return;
    changed_ = Clock::now();
    session_.store.transaction([&] {
      for (const auto& [call, outcome] : ended) {
        forget(call);
        settle(call, outcome);
      }
    });
    close_submissions();
  }

  void settle(Call call, const Outcome& outcome) {
    if (book_.ended(call, outcome, record_of(call))) make_again(call);
  }

  void settle_without_outcome(Call call, TaskState state) {
    const bool began = !started(call).job.empty();
    const Submission& s = submissions_.at(out_.at(call).submission);
    const std::string log = fmt::format("cluster/{}/task-{}.log", s.name, out_.at(call).task);
    std::string problem;
    bool retry = began;
    switch (state) {
      case TaskState::timed_out:
        if (!began) return settle_back(call);  // an earlier call of its task took the time
        problem =
            "ended by the cluster, the task's time was up (give it more time in [solver.slurm], or a smaller "
            "chunk)";
        break;
      case TaskState::node_failed:
        if (!began) return settle_back(call);
        problem = "its node failed, or it was pre-empted";
        break;
      case TaskState::out_of_memory:
        if (!began) return settle_back(call);
        problem = "ended by the cluster, out of memory (ask for more in [solver.slurm] options)";
        retry = false;
        break;
      case TaskState::failed:
      case TaskState::completed:
        if (!began &&
            std::filesystem::exists(folder_of(s.name) / fmt::format("task-{}.log", out_.at(call).task)) &&
            any_began(out_.at(call)))
          return settle_back(call);
        problem = began ? "its task ended without a word (killed?); see " + log
                        : "its task failed before it began; see " + log;
        break;
      case TaskState::cancelled:
        problem = began ? "cancelled on the cluster" : "cancelled on the cluster before it began";
        retry = false;
        break;
      default:
        problem =
            began
                ? "its task left the queue without a word (cancelled, killed, or its node failed); see " + log
                : "its task left the queue before it began (cancelled?)";
    }
    const std::string words = began ? last_words(folder_of(call)) : "";
    if (!words.empty()) problem += ": " + words;
    forget(call);
    const CallRecord record = record_of(call);
    if (book_.failed(call, problem, retry, {Outcome::How::stopped, 0, 0, started(call).seconds}, record))
      make_again(call);
  }

  TaskStart started(Call call) const { return task_start(folder_of(call)); }

  /// Did some call of the same task begin?
  bool any_began(const Out& o) const {
    return std::any_of(out_.begin(), out_.end(), [&](const auto& entry) {
      return entry.second.submission == o.submission && entry.second.task == o.task &&
             !started(entry.first).job.empty();
    });
  }

  void forget(Call call) {
    session_.store.forget_submitted(call.run, call.point);
    out_.erase(call);
  }
  void settle_back(Call call) {
    forget(call);
    book_.put_back(call);
  }
  void make_again(Call call) { again_.add(call, study_.solver.retry_pause); }
  void give_back(const std::vector<Call>& calls) {
    session_.store.transaction([&] {
      for (const Call call : calls) book_.put_back(call);
    });
  }

  void close_submissions() {
    for (auto it = submissions_.begin(); it != submissions_.end();) {
      if (std::any_of(out_.begin(), out_.end(),
                      [&](const auto& o) { return o.second.submission == it->first; })) {
        ++it;
        continue;
      }
      it->second.open = false;
      session_.store.transaction([&] { session_.store.set_submission(it->second); });
      it = submissions_.erase(it);
    }
  }

  CallRecord record_of(Call call) const {
    const std::string host = started(call).host;
    return {digest_in(study_, call), nlohmann::json(renderer_.command(call)).dump(),
            host.empty() ? "the cluster" : host};
  }

  /// Everything that waits, in as few arrays as the cluster allows.
  void submit() {
    if (options_.stop() > 0) return;
    bool due = book_.any_waiting() || again_.any_due();
    while (due) {
      const int chunk = std::max(1, study_.solver.slurm.chunk);
      const std::size_t most = static_cast<std::size_t>(std::min(slurm_.largest_array(), 1'000'000)) *
                               static_cast<std::size_t>(chunk);
      Submission s;
      s.name = fresh_submission_name();
      std::vector<Rendered> rendered;
      session_.store.transaction([&] {
        std::vector<Call> calls = again_.take_due(most);
        while (book_.any_waiting() && calls.size() < most)
          for (const Call call : book_.claim()) calls.push_back(call);
        if (calls.size() > most) calls_over(calls, most);
        rendered = render(calls);
        if (rendered.empty()) return;
        std::vector<Submitted> rows;
        for (std::size_t i = 0; i < rendered.size(); ++i)
          rows.push_back({0, static_cast<int>(i) / chunk, rendered[i].call.run, rendered[i].call.point});
        s.tasks = rows.back().task + 1;
        s.id = session_.store.add_submission(s, rows);
      });
      if (rendered.empty()) return;
      give(s, std::move(rendered), chunk);
      due = book_.any_waiting();
    }
  }

  /// Whole runs can overshoot an array by some axis points: those go with the next one.
  void calls_over(std::vector<Call>& calls, std::size_t most) {
    for (std::size_t i = most; i < calls.size(); ++i) again_.add(calls[i]);
    calls.resize(most);
  }

  /// The inputs of each call; a call that has none, because of its settings, fails.
  std::vector<Rendered> render(const std::vector<Call>& calls) {
    std::vector<Rendered> out;
    for (const Call call : calls) {
      try {
        out.push_back({call, renderer_.files(call, book_.settings(call))});
      } catch (const Error& e) {
        book_.failed(call, fmt::format("{} ({})", e.problem(), e.place()), false, {Outcome::How::not_started},
                     {});
      }
    }
    return out;
  }

  void give(Submission& s, std::vector<Rendered> calls, int chunk) {
    submissions_[s.id] = s;
    for (std::size_t i = 0; i < calls.size(); ++i)
      out_[calls[i].call] = {s.id, static_cast<int>(i) / chunk, 0};
    const std::filesystem::path folder = folder_of(s.name);
    try {
      std::error_code error;
      std::filesystem::create_directories(folder, error);
      std::string list;
      for (auto& [call, files] : calls) {
        files.push_back({"command", call_script(renderer_.command(call))});
        files.push_back(book_.identity(call));
        renderer_.prepare(call, files);
        list += folder_of(call).string() + "\n";
      }
      write(folder / "calls", list);
      write(folder / "task.sh", task_script(study_, chunk, folder));
      const int jobs = options_.jobs > 0 ? options_.jobs : study_.solver.jobs_given ? study_.solver.jobs : 0;
      s.job = slurm_.submit(study_, s.name, folder, s.tasks, jobs);
    } catch (...) {
      session_.store.transaction([&] {
        for (const Rendered& r : calls) settle_back(r.call);
      });
      close_submissions();
      throw;
    }
    submissions_[s.id] = s;
    session_.store.transaction([&] { session_.store.set_submission(s); });
    book_.summary.submitted += static_cast<int>(calls.size());
    changed_ = Clock::now();
  }

  static void write(const std::filesystem::path& file, const std::string& text) {
    write_whole_file(file.string(), text,
                     {"cannot write what the cluster needs",
                      "look at the disk and its permissions, then run again; nothing is lost"});
  }

  void report() {
    book_.progress.running = static_cast<int>(out_.size());
    book_.progress.state = fmt::format("{} tasks wait, {} run", waiting_tasks_, running_tasks_);
    book_.progress.seconds = seconds_since(began_);
    options_.progress(book_.progress);
  }

  /// From one second to half a minute between looks: longer, the longer nothing has changed.
  void wait() {
    const double between = std::clamp(0.5 * seconds_since(changed_), 1.0, 30.0);
    pause(std::max(again_.seconds_left(between - seconds_since(asked_)), 0.01));
  }
  void pause(double seconds) const {
    pollfd on{options_.stop_fd, POLLIN, 0};
    poll(&on, 1, static_cast<int>(1000 * seconds) + 1);
  }

  Session& session_;
  const Study& study_;
  const RunningOptions& options_;
  RunBook& book_;
  InputRenderer renderer_;
  Slurm slurm_;
  std::map<std::int64_t, Submission> submissions_;
  std::map<Call, Out> out_;  // with the cluster
  CallsForLater again_;      // to be made again, after a pause
  int waiting_tasks_ = 0, running_tasks_ = 0;
  Clock::time_point began_ = Clock::now(), asked_ = Clock::now(), changed_ = Clock::now();
};

}  // namespace

void run_on_cluster(Session& session, const RunningOptions& options, RunBook& book, int lock) {
  Cluster(session, options, book, lock).run();
}

}  // namespace renth
