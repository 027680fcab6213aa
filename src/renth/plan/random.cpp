#include <renth/plan/random.hpp>
#include <renth/space/region.hpp>

namespace renth {

Plan random_plan(const Space& space, int runs, Seed seed) {
  if (runs <= 0) runs = suggested_runs(space);
  Plan plan =
      make_plan(sample_region(space, runs, Values::settable, seed, "random plan"), "fill", "random", seed);
  plan.options = {{"runs", std::to_string(runs)}};
  plan.next = static_cast<std::uint64_t>(runs);
  return plan;
}

}  // namespace renth
