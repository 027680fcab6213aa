// Every combination of levels.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a full factorial.
struct FullFactorialOptions {
  /// Evenly spaced levels of each parameter with a span; 0: two. Steps and sizes take the settable
  /// values next to them. Levels and choices always take all.
  int levels = 0;
  int replicates = 1;        ///< how often each combination is run
  bool random_order = true;  ///< the order of running; else standard order, the first parameter fastest
};

/// All combinations that the limits allow; origin `corner` where every span is at an end, else
/// `grid`. A note says how many combinations the limits removed.
/// \throws Error  more than a million combinations; fewer than two levels; nothing allowed.
Plan full_factorial(const Space& space, const FullFactorialOptions& options, Seed seed);

}  // namespace renth
