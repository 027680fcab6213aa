// Planning batches of runs.
#pragma once
#include <optional>
#include <renth/base/notes.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/assess.hpp>
#include <renth/plan/evenness.hpp>
#include <renth/plan/methods.hpp>
#include <renth/plan/sweep.hpp>
#include <renth/store/session.hpp>
#include <renth/store/store.hpp>

namespace renth {

struct PlanResult {
  Batch batch;
  Plan plan;                      ///< the new points only
  std::vector<std::int64_t> ids;  ///< empty for a dry run
  std::string why;                ///< why this method, if it was chosen here
  Evenness evenness;
  std::optional<Assessment> assessment;  ///< of a dry run, and after extending
  std::optional<Assessment> before;      ///< of a batch that is extended
  std::optional<Sweep> sweep;            ///< of a range of run counts; then there is no plan
  std::string model;                     ///< of an optimal plan
  std::optional<double> from_fit_runs;   ///< of check runs: smallest distance to a run that is fitted
  bool stored = false;
  std::string next;  ///< of a range: the command that makes the plan suggested, as the caller words it
  Notes notes;
};

struct PlanningOptions {
  std::string method;  ///< empty: chosen, and the reason said; `extend`: more runs for the batch `of`
  PlanRequest request;
  std::string batch;  ///< empty: the next free name
  std::string use = "fit";
  std::string of;                    ///< the batch that is extended, or whose axes are planned
  std::vector<std::string> include;  ///< batches that optimal counts and spread keeps away from
  std::vector<std::string>
      given;                 ///< names of the options that were given, to refuse those that mean nothing
  std::optional<Seed> seed;  ///< default: of the batch's name; of optimal plans: their number
  bool dry_run = false;
};

/// Makes a plan and stores its runs as planned, unless it is a dry run or a range of run counts.
/// \throws Error  unknown method or use; a batch name that is taken; an option that the method does not take.
PlanResult plan_batch(Session& session, const PlanningOptions& options);

}  // namespace renth
