#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <deque>
#include <renth/solver/collect.hpp>
#include <renth/solver/process.hpp>
#include <renth/workflow/running.hpp>

namespace renth {
namespace {

/// One `run` at a time on a study; let go by the system when the process ends, however it ends.
class RunLock {
 public:
  explicit RunLock(const std::filesystem::path& folder)
      : fd_(open((folder / "study.lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
    if (fd_ < 0)
      throw Error("cannot write into the study's folder", folder.string(),
                  "look at its permissions and the disk", ErrorKind::machine);
    if (flock(fd_, LOCK_EX | LOCK_NB) == 0) return;
    close(fd_);
    throw Error("another renth is running this study", folder.string(),
                "wait until it is done, or stop it with Ctrl-C", ErrorKind::machine);
  }
  ~RunLock() { close(fd_); }
  RunLock(const RunLock&) = delete;
  RunLock& operator=(const RunLock&) = delete;

 private:
  int fd_;
};

class Runner {
 public:
  Runner(Session& session, const RunningOptions& options)
      : session_(session), study_(session.study), options_(options) {}

  RunSummary run() {
    if (study_.solver.kind == SolverSpec::Kind::manual)
      throw Error("this study has no solver", "study.toml [solver]",
                  "renth runs --export FILE, fill in the responses, renth import FILE");
    if (study_.solver.kind == SolverSpec::Kind::slurm || study_.solver.per >= 0)
      throw Error(study_.solver.per >= 0 ? "per = AXIS cannot be run yet by this version"
                                         : "kind = \"slurm\" cannot be run yet by this version",
                  "study.toml [solver]",
                  "use kind = \"process\" with all axis points in one call, or run by hand and import");
    if (!options_.batch.empty() && !session_.store.batch(options_.batch))
      throw Error("no batch is called " + options_.batch, "--batch", "renth runs lists the batches");
    const RunLock lock(study_.folder);
    let_solvers_be_found_beside_us();
    std::vector<Run> runs = session_.store.runs();
    recover(runs);
    choose(runs);
    progress_.total = static_cast<int>(waiting_.size() + slots_.size()) + progress_.done + progress_.failed;
    start_time_ = std::chrono::steady_clock::now();
    study_.solver.kind == SolverSpec::Kind::formula ? compute_formulas() : compute_processes();
    for (const Run& run : session_.store.runs())
      if (wanted(run) && (run.status == RunStatus::planned || run.status == RunStatus::running))
        ++summary_.left;
    return summary_;
  }

 private:
  struct Slot {
    Run run;
    RunFolder files;
    pid_t pid = 0;
    int pidfd = -1;
    bool ours = false;  // a child of this process, to be reaped
  };

  bool wanted(const Run& run) const {
    return (options_.batch.empty() || run.batch == options_.batch) &&
           (options_.only.empty() ||
            std::find(options_.only.begin(), options_.only.end(), run.id) != options_.only.end());
  }

  /// Solvers that came with renth are found even if its folder is not on the PATH.
  static void let_solvers_be_found_beside_us() {
    std::error_code error;
    const std::filesystem::path self = std::filesystem::read_symlink("/proc/self/exe", error);
    const char* path = std::getenv("PATH");
    if (!error)
      setenv("PATH", fmt::format("{}:{}", path ? path : "/usr/bin:/bin", self.parent_path().string()).c_str(),
             1);
  }

  /// Runs that were going when an earlier renth ended.
  void recover(std::vector<Run>& runs) {
    for (Run& run : runs) {
      if (run.status != RunStatus::running) continue;
      const RunFolder files = RunFolder::of(study_, run.id);
      if (const auto keeper = living_keeper(files.folder)) {
        slots_.push_back({run, files, *keeper, open_pidfd(*keeper), false});
        ++summary_.adopted;
      } else if (const auto outcome = read_outcome(files.folder);
                 outcome && outcome->how != Outcome::How::stopped) {
        session_.store.transaction([&] { finish(run, files, *outcome); });
        ++summary_.adopted;
      } else {
        session_.store.set_status(run.id, RunStatus::planned, "", 0, run.attempts);
        run.status = RunStatus::planned;
      }
    }
    if (summary_.adopted > 0)
      add_note(summary_.notes, "adopted",
               fmt::format("{} runs of an earlier renth that was killed were taken over", summary_.adopted));
  }

  void choose(const std::vector<Run>& runs) {
    for (const Run& run : runs) {
      if (!wanted(run)) continue;
      const bool again = options_.retry_failed && run.status == RunStatus::failed;
      if (run.status != RunStatus::planned && !again) continue;
      waiting_.push_back(run);
      if (again) waiting_.back().attempts = 0;
    }
    // Whatever was computed can serve, in whichever batch.
    if (study_.solver.repeatable)
      for (const Run& run : runs)
        if (run.status == RunStatus::done && !run.responses.empty())
          known_.emplace(to_json(run.settings).dump(), run.id);
    for (const Run& run : runs) outputs_[run.id] = run.responses;
  }

  Outputs with_axes(const std::map<std::string, std::vector<double>>& values) const {
    Outputs out;
    for (const auto& [response, v] : values) {
      const Axis* axis = study_.axis_of(study_.responses[study_.response(response)]);
      out[response] = {v, axis ? axis->points : std::vector<double>{}};
    }
    return out;
  }

  void store_done(const Run& run, const Outputs& outputs, const std::string& message, double seconds) {
    session_.store.set_outputs(run.id, outputs);
    session_.store.set_status(run.id, RunStatus::done, message, seconds, run.attempts);
    known_.emplace(to_json(run.settings).dump(), run.id);
    outputs_[run.id] = outputs;
    ++summary_.done;
    ++progress_.done;
  }
  void store_failed(const Run& run, const std::string& message, double seconds) {
    session_.store.set_status(run.id, RunStatus::failed, message, seconds, run.attempts);
    summary_.failures.emplace_back(run.id, message);
    ++summary_.failed;
    ++progress_.failed;
    progress_.last = fmt::format("run {} failed: {}", run.id, message);
  }

  /// The same settings were computed before: a repeatable solver gives the same again.
  bool copied(const Run& run) {
    if (!study_.solver.repeatable) return false;
    const auto found = known_.find(to_json(run.settings).dump());
    if (found == known_.end() || found->second == run.id) return false;
    store_done(run, outputs_[found->second], fmt::format("same settings as run {}", found->second), 0);
    ++summary_.copied;
    return true;
  }

  /// A process has ended: its outputs, or why there are none. Part of a transaction.
  void finish(Run& run, const RunFolder& files, const Outcome& outcome) {
    using How = Outcome::How;
    if (outcome.how == How::stopped) {
      session_.store.set_status(run.id, RunStatus::planned, "", 0, run.attempts - 1);
      return;
    }
    std::string problem;
    if (outcome.how == How::exited && outcome.code == 0) {
      try {
        return store_done(run, with_axes(collect_outputs(study_, files)), "", outcome.seconds);
      } catch (const Error& e) {
        problem = fmt::format("{} ({})", e.problem(), e.place());
      }
    } else {
      problem = describe(outcome);
      const std::string words = last_words(files);
      if (!words.empty()) problem += ": " + words;
    }
    if (run.attempts <= study_.solver.retries && outcome.how != How::not_started) {
      session_.store.set_status(run.id, RunStatus::planned, problem, 0, run.attempts);
      waiting_.push_back(run);
    } else {
      store_failed(run, problem, outcome.seconds);
    }
  }

  void compute_formulas() {
    while (!waiting_.empty() && options_.stop() == 0) {
      session_.store.transaction([&] {
        for (int i = 0; i < 256 && !waiting_.empty(); ++i) {
          Run run = waiting_.front();
          waiting_.pop_front();
          run.attempts = 1;
          if (!copied(run)) formula(run);
        }
      });
      report();
    }
    summary_.stopped = !waiting_.empty();
  }
  void formula(const Run& run) {
    try {
      const Eigen::VectorXd point = study_.point(run.settings, false, fmt::format("run {}", run.id));
      std::vector<double> numbers(point.data(), point.data() + point.size());
      for (const double v : study_.fixed_numbers()) numbers.push_back(v);
      std::map<std::string, std::vector<double>> values;
      for (const auto& [response, expression] : study_.solver.formulas) {
        const Axis* axis = study_.axis_of(study_.responses[study_.response(response)]);
        if (!axis)
          values[response] = {expression->value({numbers.data(), nullptr})};
        else
          for (const double x : axis->points) {
            std::vector<double> with = numbers;
            with.push_back(x);
            values[response].push_back(expression->value({with.data(), nullptr}));
          }
      }
      store_done(run, with_axes(values), "", 0);
    } catch (const Error& e) {
      store_failed(run, fmt::format("{} ({})", e.problem(), e.place()), 0);
    }
  }

  void compute_processes() {
    const auto jobs = static_cast<std::size_t>(options_.jobs > 0 ? options_.jobs : study_.solver.jobs);
    bool ending = false;
    while (!waiting_.empty() || !slots_.empty()) {
      const int stop = options_.stop();
      if (stop > 0) summary_.stopped = summary_.stopped || !waiting_.empty() || stop > 1;
      if (stop > 1 && !ending) {
        ending = true;
        for (const Slot& slot : slots_) kill(slot.pid, SIGTERM);
      }
      std::vector<Run> starting;
      session_.store.transaction([&] {
        while (stop == 0 && !waiting_.empty() && slots_.size() + starting.size() < jobs) {
          Run run = waiting_.front();
          waiting_.pop_front();
          if (copied(run)) continue;
          // The folder is made anew before the run counts as running: what a run that is running has in its
          // folder is then always its own, and can be adopted.
          prepare_run(study_, RunFolder::of(study_, run.id), run.settings, run.id);
          ++run.attempts;
          session_.store.set_status(run.id, RunStatus::running, "", 0, run.attempts);
          starting.push_back(std::move(run));
        }
      });
      for (Run& run : starting) start(std::move(run));
      report();
      if (slots_.empty()) {
        if (stop > 0) break;
        continue;
      }
      std::vector<int> fds;
      for (const Slot& slot : slots_) fds.push_back(slot.pidfd);
      const std::vector<std::size_t> ended = wait_for_any(fds, stop > 1 ? -1 : options_.stop_fd, 1.0);
      session_.store.transaction([&] {
        for (auto i = ended.rbegin(); i != ended.rend(); ++i) end(*i);
      });
    }
  }

  void start(Run run) {
    const RunFolder files = RunFolder::of(study_, run.id);
    try {
      const pid_t pid =
          start_kept(render_command(study_, files, run.id), files.folder, study_.solver.timeout);
      slots_.push_back({std::move(run), files, pid, open_pidfd(pid), true});
    } catch (...) {
      session_.store.set_status(run.id, RunStatus::planned, "", 0, run.attempts - 1);
      throw;
    }
  }

  void end(std::size_t index) {
    Slot slot = std::move(slots_[index]);
    slots_.erase(slots_.begin() + static_cast<std::ptrdiff_t>(index));
    if (slot.pidfd >= 0) close(slot.pidfd);
    if (slot.ours) waitpid(slot.pid, nullptr, 0);
    const auto outcome = read_outcome(slot.files.folder);
    if (!outcome) {
      add_note(summary_.notes, "keeper_lost",
               fmt::format("run {} was put back: the process that kept it ended without a word (killed, or "
                           "the disk is full)",
                           slot.run.id));
      return finish(slot.run, slot.files, {Outcome::How::stopped, 0, 0});
    }
    finish(slot.run, slot.files, *outcome);
  }

  void report() {
    progress_.running = static_cast<int>(slots_.size());
    progress_.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start_time_).count();
    options_.progress(progress_);
  }

  Session& session_;
  const Study& study_;
  const RunningOptions& options_;
  std::deque<Run> waiting_;
  std::vector<Slot> slots_;
  std::map<std::string, std::int64_t> known_;  // settings as text → a done run
  std::map<std::int64_t, Outputs> outputs_;
  RunSummary summary_;
  Progress progress_;
  std::chrono::steady_clock::time_point start_time_ = std::chrono::steady_clock::now();
};

}  // namespace

RunSummary run_batches(Session& session, const RunningOptions& options) {
  return Runner(session, options).run();
}

}  // namespace renth
