// Planning batches of runs.
#pragma once
#include <renth/plan/methods.hpp>
#include <renth/workflow/session.hpp>

namespace renth {

struct PlanningOptions {
  std::string method;  ///< empty: chosen, and the reason said
  PlanRequest request;
  std::string batch;  ///< empty: the next free name
  std::string use = "fit";
  std::optional<Seed> seed;  ///< default: batch_seed
  bool dry_run = false;
};

/// Makes a plan and stores its runs as planned, unless it is a dry run.
/// \throws Error  unknown method or use; a batch name that is taken.
PlanResult plan_batch(Session& session, const PlanningOptions& options);

}  // namespace renth
