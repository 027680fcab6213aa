// Running what is planned, so that nothing computed is ever lost or computed again.
#pragma once
#include <renth/running/running_options.hpp>
#include <renth/store/session.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

/// What `run --dry-run` would do.
struct DryRun {
  struct OfCall {
    std::int64_t run = 0;
    int point = -1;
    std::string folder;
    std::vector<std::string> command;
    std::vector<std::pair<std::string, std::string>> inputs;  ///< file and text
  };
  std::vector<OfCall> calls;
  int jobs = 1;
  Notes notes;
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
