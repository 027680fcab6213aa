// Where runs fail, and what was run when.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <renth/workflow/session.hpp>

namespace renth {

/// Runs that ended on their own, as points with whether they failed; those set aside are left out.
struct EndedRuns {
  Eigen::MatrixXd points;  ///< n × d
  std::vector<bool> failed;
  std::vector<std::int64_t> ids;
};
EndedRuns ended_runs(const Study& study, const std::vector<Run>& runs);

/// The share of failed runs with its interval, the reasons they gave, and the simplest rule on the parameters
/// that separates them from the others.
FailuresResult find_failures(Session& session);

/// The probability that a run succeeds, learned from all that ended (see Feasibility); a Surrogate for
/// whatever plans or proposes runs. Nothing if no run has failed, or none is done.
std::unique_ptr<const Surrogate> learned_feasibility(const Study& study, const EndedRuns& ended);

/// The journal; of some runs, or of all if none are named. \throws Error  an unknown run.
JournalResult journal_of(Session& session, const std::vector<std::int64_t>& runs);

}  // namespace renth
