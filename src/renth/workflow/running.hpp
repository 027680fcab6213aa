// Running what is planned, so that nothing computed is ever lost or computed again.
#pragma once
#include <functional>
#include <renth/workflow/session.hpp>

namespace renth {

/// How far a run of runs has come.
struct Progress {
  int done = 0, failed = 0, running = 0, total = 0;
  double seconds = 0;
  std::string last;   ///< message of the last failure, or empty
  std::string state;  ///< of a cluster: how many tasks wait and run
};

struct RunningOptions {
  std::string batch;               ///< empty: all batches
  std::vector<std::int64_t> only;  ///< empty: all runs
  int jobs = 0;                    ///< 0: as the study says
  bool retry_failed = false;
  bool put_back = false;  ///< runs that another machine was computing are planned again
  bool dry_run = false;
  /// On a cluster: whether to submit what is planned, and whether to wait until all has ended.
  bool submit = true, wait = true;
  bool cancel = false;  ///< end what the cluster has of this study, and collect
  /// Becomes readable when the user wants to stop; −1: never. What runs is finished.
  int stop_fd = -1;
  /// Asked after a wake-up: 0 go on, 1 start no more, 2 end what runs now.
  std::function<int()> stop = [] { return 0; };
  std::function<void(const Progress&)> progress = [](const Progress&) {};
};

/// Computes planned runs: processes side by side under a keeper, tasks on a cluster, formulas at once. Runs
/// that another renth was computing when it was killed are taken over while they go on, adopted whole from
/// their folders, or put back. A result is committed before its run counts as done.
///
/// \throws Error  a manual study has nothing to run; another renth is running this study; an unknown
///         batch or run; a template that is wrong; the disk or the scheduler fails.
RunSummary run_batches(Session& session, const RunningOptions& options);

/// What it would do: every input as it would be written, and the commands. Changes nothing.
DryRun dry_run(Session& session, const RunningOptions& options);

}  // namespace renth
