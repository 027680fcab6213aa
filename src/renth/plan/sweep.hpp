// Optimal plans of every size in a range, and the size to choose.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/optimal.hpp>

namespace renth {

/// Figures of the optimal plan with this many runs; see Information. Runs that exist count in all of them.
struct SweepLine {
  int runs = 0;
  double log_det = 0, d_efficiency = 0, a_efficiency = 0, g_efficiency = 0, i_value = 0, max_vif = 0;
};
struct Sweep {
  std::vector<SweepLine> lines;
  int knee = 0;       ///< beyond it, more runs buy little more in each: the most above the chord
  int suggested = 0;  ///< the knee, or more where the knee leaves no scatter to be seen
  std::string why;
};

/// optimal() for each n = from … to, the very plans that it gives for that n and seed alone.
/// \throws Error  as optimal(); a reversed range, or one of more than 500.
Sweep sweep_runs(const Space& space, OptimalOptions options, int from, int to, Seed seed);

}  // namespace renth
