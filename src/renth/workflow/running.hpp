// Running what is planned, so that nothing computed is ever lost or computed again.
#pragma once
#include <functional>
#include <map>
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

/// A solver that is a function of the caller's: the responses at the settings of a run, fixed parameters too;
/// of a curve a value an axis point. What is not finite is missing. What it throws as Error makes the run
/// fail; anything else ends the running, and what was done before is kept.
using SolverFunction = std::function<std::map<std::string, std::vector<double>>(const Settings&)>;

/// Computes planned runs of a manual study by calling a function, one after another; each result is committed
/// before the next call.
///
/// \param name  of the function, which is kept with every run: another name says that it gives other values.
/// \throws Error  the study has a solver of its own; no name; another renth is running this study.
RunSummary run_function(Session& session, const std::string& name, const SolverFunction& solve,
                        const RunningOptions& options);

/// What it would do: every input as it would be written, and the commands. Changes nothing.
DryRun dry_run(Session& session, const RunningOptions& options);

}  // namespace renth
