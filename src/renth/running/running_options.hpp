// How runs are to be computed, how far that has come, and what it came to.
#pragma once
#include <cstdint>
#include <functional>
#include <renth/base/notes.hpp>
#include <string>
#include <utility>
#include <vector>

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
  bool renew = false;     ///< runs that were not computed as they would be today are planned anew
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

struct RunSummary {
  int done = 0, failed = 0, left = 0, adopted = 0, copied = 0;
  int partial = 0;    ///< of the done ones: some axis points are missing
  int submitted = 0;  ///< calls given to the cluster now
  int queued = 0;     ///< calls that are with the cluster still
  int scheduler_calls = 0;
  bool stopped = false;
  std::vector<std::pair<std::int64_t, std::string>> failures;  ///< run and message
  Notes notes;
};

}  // namespace renth
