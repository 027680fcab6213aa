// Planning batches of runs.
#pragma once
#include <renth/plan/methods.hpp>
#include <renth/workflow/session.hpp>

namespace renth {

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
