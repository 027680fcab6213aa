// The table of plan methods, and the choice among them.
#pragma once
#include <functional>
#include <optional>
#include <renth/plan/plan.hpp>

namespace renth {

/// What may be asked of a plan by name; each method takes what concerns it.
struct PlanRequest {
  int runs = 0;                    ///< 0: suggested_runs
  std::string criterion;           ///< of a Latin hypercube: maximin (default) or none
  int levels = 0, replicates = 1;  ///< of a factorial
  bool random_order = true;
};

struct PlanMethod {
  std::string name, summary;
  std::function<Plan(const Space&, const PlanRequest&, Seed)> make;
};

const std::vector<PlanMethod>& plan_methods();

/// \throws Error  an unknown name; the message lists the known ones.
const PlanMethod& plan_method(std::string_view name);

/// Which method suits, and why in a sentence.
struct PlanChoice {
  std::string method, why;
  PlanRequest request;  ///< what was asked for, completed
};
PlanChoice choose_plan(const Space& space, bool noisy, const PlanRequest& request);

}  // namespace renth
