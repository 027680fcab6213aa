// Judging plans of a study, stored or not.
#pragma once
#include <renth/base/notes.hpp>
#include <renth/plan/assess.hpp>
#include <renth/store/session.hpp>

namespace renth {

/// The points of one plan, wherever it is.
struct PlanSource {
  std::string name;
  Eigen::MatrixXd points;
  std::vector<std::string> origins;
  Eigen::VectorXi blocks;
  std::string model;  ///< TERMS it was made for, or empty
};

/// A batch; several joined by + as one; a file that `plan --dry-run --json` wrote; or, if empty, all runs
/// that are or will be fitted. Failed runs and those set aside do not count.
/// \throws Error  nothing of that name; no runs.
PlanSource find_plan(Session& session, const std::string& name);

/// All runs that are or will be fitted; there may be none.
PlanSource fitted_runs(Session& session);

/// The TERMS asked for, or else those the plan was made for; empty if neither says any.
Terms terms_asked(const Study& study, const std::string& asked, const PlanSource& plan);

/// One plan or more, judged for the same terms.
struct AssessResult {
  struct OfPlan {
    std::string name;
    Assessment assessment;
  };
  std::vector<OfPlan> plans;  ///< the one asked for first
  std::string model;
  Notes notes;
};

struct AssessingOptions {
  std::string batch;  ///< as find_plan
  std::string model;  ///< TERMS; empty: those the plan was made for, else the richest it carries
  std::vector<std::string> against;  ///< judged for the same terms
};
AssessResult assess_plans(Session& session, const AssessingOptions& options);

}  // namespace renth
