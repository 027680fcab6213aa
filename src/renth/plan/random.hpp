// Independent random points.
#pragma once
#include <renth/plan/plan.hpp>

namespace renth {

/// `runs` independent uniform points of the region, settable values only (0: suggested_runs). For a
/// batch that must be independent of everything, such as one to check against.
Plan random_plan(const Space& space, int runs, Seed seed);

}  // namespace renth
