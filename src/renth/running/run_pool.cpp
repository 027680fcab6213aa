#include <fmt/format.h>
#include <poll.h>

#include <algorithm>
#include <cmath>
#include <renth/running/run_pool.hpp>
#include <renth/running/stopwatch.hpp>
#include <renth/solver/digest.hpp>
#include <renth/solver/keeper.hpp>

namespace renth {
namespace {

/// Results are committed in groups: a commit waits for the disk, and with quick solvers it would wait for
/// every one of thousands. What was not committed when renth is killed lies whole in its folder.
class Pool {
 public:
  Pool(Session& session, const RunningOptions& options, RunBook& book)
      : session_(session),
        study_(session.study),
        options_(options),
        book_(book),
        renderer_(session.study),
        jobs_(static_cast<std::size_t>(options.jobs > 0 ? options.jobs : session.study.solver.jobs)),
        limits_{static_cast<int>(jobs_), study_.solver.timeout, study_.solver.memory,
                study_.solver.file_size} {}

  void run() {
    recover();
    session_.store.transaction([&] { book_.choose(); });
    if (!keeper_ && (book_.any_waiting() || !delayed_.empty()) && options_.stop() == 0) start_keeper();
    while (keeper_) {
      heed_stop();
      if (commit_is_due()) commit();
      send();
      report();
      if (in_flight_.empty() && ready_.empty() && ended_.empty() && delayed_.empty() &&
          (stop_ > 0 || !book_.any_waiting()))
        break;
      wait();
    }
    book_.summary.stopped = book_.summary.stopped || book_.any_waiting();
  }

 private:
  struct InFlight {
    Call call;
    std::string inputs;
  };
  struct Ended {
    Call call;
    std::string inputs;
    Outcome outcome;
    bool lost = false;
  };

  void start_keeper() { keeper_.emplace(study_.folder, limits_, study_.solver.environment); }

  /// Calls that were going when an earlier renth ended.
  void recover() {
    std::vector<Call> open;
    session_.store.transaction([&] { open = book_.reopen(); });
    if (open.empty()) return;
    std::set<std::string> running;
    if (auto alive = Keeper::find(study_.folder)) {
      keeper_.emplace(std::move(*alive));
      keeper_->configure(limits_, study_.solver.environment);
      take_events();  // what it has
      for (const KeeperEvent& e : early_) {
        if (e.what == KeeperEvent::What::running) running.insert(e.folder);
        if (e.what == KeeperEvent::What::ended) running.erase(e.folder);
      }
      early_.clear();
    }
    std::vector<std::filesystem::path> orphaned;
    session_.store.transaction([&] {
      for (const Call call : open) {
        const std::filesystem::path folder = RunFolder::of(study_, call).folder;
        if (running.count(folder.string()) > 0) {
          in_flight_[folder.string()] = {call, digest_in(study_, call)};
          ++book_.summary.adopted;
        } else if (const auto outcome = read_outcome(folder);
                   outcome && outcome->how != Outcome::How::stopped) {
          ++book_.summary.adopted;
          book({call, digest_in(study_, call), *outcome});
        } else {
          orphaned.push_back(folder);
          book_.put_back(call);
        }
      }
    });
    if (book_.summary.adopted > 0)
      add_note(book_.summary.notes, "adopted",
               fmt::format("{} calls of the solver that an earlier renth had started were taken over",
                           book_.summary.adopted));
    sweep(orphaned);
  }

  /// What solvers left behind whose keeper was killed must not go on writing into folders that are used anew.
  void sweep(const std::vector<std::filesystem::path>& folders) {
    if (const int count = folders.empty() ? 0 : end_orphans(folders); count > 0)
      add_note(book_.summary.notes, "orphans",
               fmt::format("{} processes that interrupted runs had left behind were ended", count));
  }

  std::string command_of(Call call) const { return nlohmann::json(renderer_.command(call)).dump(); }

  /// Part of a transaction.
  void book(const Ended& e) {
    if (e.lost) {
      book_.put_back(e.call);
    } else if (book_.ended(e.call, e.outcome, {e.inputs, command_of(e.call), ""})) {
      const auto pause = as_duration(study_.solver.retry_pause);
      delayed_.emplace_back(Clock::now() + pause, e.call);
    }
  }

  void heed_stop() {
    const int stop = options_.stop();
    if (stop <= stop_) return;
    if (stop_ == 0) {
      keeper_->drop_waiting();
      for (const Call call : ready_) ended_.push_back({call, "", {}, true});
      for (const auto& [when, call] : delayed_) ended_.push_back({call, "", {}, true});
      ready_.clear();
      delayed_.clear();
      book_.summary.stopped = book_.any_waiting() || !ended_.empty() || stop > 1;
    }
    if (stop > 1) {
      keeper_->end_all();
      book_.summary.stopped = true;
    }
    stop_ = stop;
  }

  /// Calls to have ready: as many as end while a commit and its successor are awaited.
  std::size_t ahead(double seconds) const {
    return std::min<std::size_t>(2000, static_cast<std::size_t>(std::ceil(rate_ * seconds)));
  }

  bool commit_is_due() const {
    const bool starving =
        stop_ == 0 && ready_.empty() && book_.any_waiting() && in_flight_.size() < jobs_ + ahead(0.1);
    if (ended_.empty()) return starving;
    // Not more than a twentieth of the time goes into commits.
    return starving || in_flight_.empty() || seconds_since(committed_) >= 20 * commit_seconds_ ||
           ended_.size() >= 1000;
  }

  void commit() {
    const auto begin = Clock::now();
    std::vector<Ended> group = std::move(ended_);
    ended_.clear();
    session_.store.transaction([&] {
      for (const Ended& e : group) book(e);
      const std::size_t want = jobs_ + ahead(0.1) + ahead(0.3);
      while (stop_ == 0 && book_.any_waiting() && ready_.size() + in_flight_.size() < want)
        for (const Call call : book_.claim()) ready_.push_back(call);
    });
    commit_seconds_ = std::min(seconds_since(begin), 0.05);
    committed_ = Clock::now();
  }

  void send() {
    for (auto it = delayed_.begin(); stop_ == 0 && it != delayed_.end();)
      if (it->first <= Clock::now()) {
        ready_.push_back(it->second);
        it = delayed_.erase(it);
      } else {
        ++it;
      }
    while (stop_ == 0 && !ready_.empty() && in_flight_.size() < jobs_ + ahead(0.1)) {
      const Call call = ready_.front();
      ready_.pop_front();
      std::vector<RenderedFile> files;
      try {
        files = renderer_.files(call, book_.settings(call));
      } catch (const Error& e) {
        session_.store.transaction([&] {
          book_.failed(call, fmt::format("{} ({})", e.problem(), e.place()), false,
                       {Outcome::How::not_started}, {});
        });
        continue;
      }
      const std::filesystem::path folder = RunFolder::of(study_, call).folder;
      in_flight_[folder.string()] = {call, digest_of(files)};
      files.push_back(book_.identity(call));
      renderer_.prepare(call, files);
      keeper_->start(folder, renderer_.command(call));
    }
    keeper_->flush();
  }

  void wait() {
    double seconds = 3600;
    if (!ended_.empty()) seconds = std::max(0.0, 20 * commit_seconds_ - seconds_since(committed_));
    if (stop_ == 0)
      for (const auto& [when, call] : delayed_)
        seconds = std::min(seconds, std::max(0.0, -seconds_since(when)));
    if (book_.any_waiting() && in_flight_.empty() && ready_.empty() && stop_ == 0) seconds = 0;
    // With quick solvers the keeper has work for a tenth of a second: being woken for every call would cost
    // more than the call.
    if (rate_ > 200 && in_flight_.size() > 2 * jobs_ && stop_ == 0) {
      pollfd stop{options_.stop_fd, POLLIN, 0};
      poll(&stop, 1, 20);
    }
    pollfd on[] = {{keeper_->fd(), POLLIN, 0}, {stop_ > 1 ? -1 : options_.stop_fd, POLLIN, 0}};
    poll(on, 2, static_cast<int>(std::ceil(1000 * std::min(seconds, 3600.0))));
    take_events();
    for (const KeeperEvent& e : early_) heed(e);
    early_.clear();
  }

  void take_events() {
    for (KeeperEvent& e : keeper_->events()) early_.push_back(std::move(e));
  }

  void heed(const KeeperEvent& e) {
    using What = KeeperEvent::What;
    if (e.what == What::lost) return lose_keeper();
    const auto found = in_flight_.find(e.folder);
    if (found == in_flight_.end() || e.what == What::running) return;
    ended_.push_back(
        {found->second.call, std::move(found->second.inputs), e.outcome, e.what == What::dropped});
    in_flight_.erase(found);
    if (e.what == What::ended) count_rate();
  }

  /// Calls that end a second, of late.
  void count_rate() {
    ++recent_;
    const double seconds = seconds_since(recent_began_);
    if (seconds < 0.2) return;
    rate_ = recent_ / seconds;
    recent_ = 0;
    recent_began_ = Clock::now();
  }

  /// The keeper was killed, and with it its solvers.
  void lose_keeper() {
    keeper_.reset();
    std::vector<std::filesystem::path> orphaned;
    for (auto& [folder, f] : in_flight_) {
      if (const auto outcome = read_outcome(folder); outcome && outcome->how != Outcome::How::stopped) {
        ended_.push_back({f.call, f.inputs, *outcome});
      } else {
        orphaned.emplace_back(folder);
        ended_.push_back({f.call, "", {}, true});
      }
    }
    in_flight_.clear();
    sweep(orphaned);
    add_note(
        book_.summary.notes, "keeper_lost",
        fmt::format("the process that kept the solvers was killed; {} calls were put back", orphaned.size()));
    commit();
    if (++keepers_lost_ > 3)
      throw Error("the process that keeps the solvers was killed again and again", study_.folder.string(),
                  "look whether the machine runs out of memory (dmesg), set memory in [solver], then run "
                  "again; nothing is lost",
                  ErrorKind::machine);
    start_keeper();
  }

  void report() {
    book_.progress.running = static_cast<int>(std::min(in_flight_.size(), jobs_));
    book_.progress.seconds = seconds_since(began_);
    options_.progress(book_.progress);
  }

  Session& session_;
  const Study& study_;
  const RunningOptions& options_;
  RunBook& book_;
  InputRenderer renderer_;
  std::size_t jobs_;
  CallLimits limits_;
  std::optional<Keeper> keeper_;
  std::deque<Call> ready_;                                   // claimed, not yet sent
  std::vector<std::pair<Clock::time_point, Call>> delayed_;  // to be made again, after a pause
  std::map<std::string, InFlight> in_flight_;                // with the keeper, by folder
  std::vector<Ended> ended_;                                 // not yet committed
  std::vector<KeeperEvent> early_;
  int stop_ = 0, keepers_lost_ = 0, recent_ = 0;
  double rate_ = 0, commit_seconds_ = 0;
  Clock::time_point committed_ = Clock::now(), began_ = Clock::now(), recent_began_ = Clock::now();
};

}  // namespace

void run_processes(Session& session, const RunningOptions& options, RunBook& book) {
  Pool(session, options, book).run();
}

}  // namespace renth
