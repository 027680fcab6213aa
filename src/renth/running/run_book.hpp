// The books of a `run`: which calls are still to be made, and what every call that ended means for its run.
#pragma once
#include <deque>
#include <map>
#include <renth/running/run_identity.hpp>
#include <renth/running/running_options.hpp>
#include <renth/solver/collect.hpp>
#include <renth/solver/outcome.hpp>
#include <renth/solver/render.hpp>
#include <renth/store/maker.hpp>
#include <set>
#include <unordered_map>

namespace renth {

/// What the journal says of a call besides how it ended.
struct CallRecord {
  std::string inputs;   ///< {"file": "SHA-256", …}
  std::string command;  ///< its words as a JSON list
  std::string host;     ///< where it ran; empty: this machine
};

/// Knows nothing of processes and clusters; whoever makes the calls asks it for them and tells it how
/// they ended. What it changes in the store is part of its caller's transaction.
class RunBook {
 public:
  RunBook(Session& session, const RunningOptions& options);

  /// Runs that were running when an earlier renth ended, as open calls, to be told of by `ended` or
  /// `put_back`. Those of another machine stay as they are, with a note, unless the options put them back.
  std::vector<Call> reopen(bool any_machine = false);
  /// Lists the runs to be computed: planned ones that are wanted, and failed ones to be retried.
  void choose();

  /// Takes up the next run that needs computing and marks it running: its calls, their folders empty. Runs
  /// with the settings of one that is done take its outputs at once. Nothing if none waits.
  std::vector<Call> claim();
  bool any_waiting() const { return !waiting_.empty(); }

  /// A call has ended. \returns true if it is to be made again, after a pause; it stays open, its folder
  /// empty.
  bool ended(Call call, const Outcome& outcome, const CallRecord& record);
  /// The same where the outcome is not known from the call itself; `retry` as far as retries go.
  bool failed(Call call, const std::string& problem, bool may_retry, const Outcome& outcome,
              const CallRecord& record);
  /// A call was not made after all, or what it did is lost: its run is planned again.
  void put_back(Call call);

  /// Formulas and functions need no call.
  void done(const Run& run, const Outputs& outputs, double seconds = 0) {
    store_done(run, outputs, "", seconds, 1, maker_);
  }
  void failed(const Run& run, const std::string& message) { store_failed(run, message, 0, 1, maker_); }
  std::optional<Run> next_run();

  const Settings& settings(Call call) const { return active_.at(call.run).run.settings; }
  /// The file in a call's folder that says what run it is of, should the store be lost.
  RenderedFile identity(Call call) const { return identity_of(active_.at(call.run).run, makers_->today()); }
  bool wanted(std::int64_t run, const std::string& batch) const;

  RunSummary summary;
  Progress progress;

 private:
  struct Active {
    Run run;
    Outputs outputs;
    std::set<int> open;           ///< points (−1: the whole run) that have not ended
    std::map<int, int> attempts;  ///< of each
    std::map<int, std::string> failed;
    std::map<std::string, int> scalar_from;  ///< with `per`: the point that gave a number
    std::vector<std::string> remarks;
    double seconds = 0;
    bool unfinished = false;  ///< some call was put back
  };
  Active& activate(Run run);
  std::set<int> points_done(const Outputs& outputs) const;
  Outputs with_axes(const std::map<std::string, std::vector<double>>& values) const;
  void merge(Active& a, int point, const Collected& got);
  void empty_folder(Call call) const;
  void end(Active& a, Call call);
  void close(std::int64_t id);
  void store_done(const Run& run, const Outputs& outputs, const std::string& message, double seconds,
                  int attempts, std::optional<std::int64_t> maker = std::nullopt);
  void store_failed(const Run& run, const std::string& message, double seconds, int attempts,
                    std::optional<std::int64_t> maker = std::nullopt);
  void settle_followers(std::int64_t leader, const Outputs* outputs, const std::string& message);
  bool copied(const Run& run);
  void journal(Call call, const Active& a, const Outcome& o, const CallRecord& record,
               const std::string& outcome);

  Session& session_;
  const Study& study_;
  const RunningOptions& options_;
  std::deque<std::int64_t> waiting_;
  std::map<std::int64_t, Active> active_;
  std::unordered_map<std::uint64_t, std::int64_t> known_;  ///< hash of settings → a done run
  std::unordered_map<std::uint64_t, std::int64_t>
      leading_;  ///< hash of settings → the run that computes them
  std::map<std::int64_t, std::vector<std::int64_t>> followers_;
  std::unordered_map<std::uint64_t, std::pair<std::int64_t, std::string>>
      failed_;  ///< hash of settings → a run that failed now, and why
  std::string host_, user_;
  std::optional<Makers> makers_;  ///< as they were when runs were last chosen
  std::int64_t maker_ = 0;        ///< what computes runs today
};

/// The name of this machine.
std::string host_name();

}  // namespace renth
