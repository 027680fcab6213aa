// Where runs fail, and what was run when.
#pragma once
#include <optional>
#include <renth/adaptive/separation.hpp>
#include <renth/store/session.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// Runs that ended on their own, as points with whether they failed; those set aside are left out.
struct EndedRuns {
  Eigen::MatrixXd points;  ///< n × d
  std::vector<bool> failed;
  std::vector<std::int64_t> ids;
};
EndedRuns ended_runs(const Study& study, const std::vector<Run>& runs);

/// Who ran what when.
struct JournalResult {
  std::vector<JournalEntry> entries;
  Notes notes;
};

/// Where runs fail, and why.
struct FailuresResult {
  double level = 0.95;  ///< of the interval
  int done = 0, failed = 0, partial = 0;
  double share = 0, low = 0, high = 0;  ///< of the runs that ended, and its 95 % interval
  struct Reason {
    std::string text;
    std::vector<std::int64_t> runs;
  };
  std::vector<Reason> reasons;  ///< most frequent first
  std::optional<SeparatingRule> rule;
  std::string rule_text;  ///< "draft > 5.2 && radius < 4"
  std::string
      limit_text;        ///< what keeps out of there, as an expression; empty if the rule does not say enough
  std::string sentence;  ///< what the rule is worth, in words
  Notes notes;
};

/// The share of failed runs with its interval, the reasons they gave, and the simplest rule on the parameters
/// that separates them from the others.
FailuresResult find_failures(Session& session, double level = 0.95);

/// What the runs that ended say of the chance of failing.
struct LearnedFeasibility {
  /// The probability that a run succeeds (see Feasibility); a Surrogate for whatever plans or proposes runs.
  /// None if no run has failed, or none is done.
  std::shared_ptr<const Surrogate> chance;
  double share = 0;  ///< of the runs that ended, those that failed
};
/// Learned once while the runs stay as they are.
LearnedFeasibility learned_feasibility(Session& session);

/// The journal; of some runs, or of all if none are named. \throws Error  an unknown run.
JournalResult journal_of(Session& session, const std::vector<std::int64_t>& runs);

}  // namespace renth
