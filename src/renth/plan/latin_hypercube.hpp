// Latin hypercubes: every parameter's range evenly used, whatever the number of runs.
#pragma once
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a Latin hypercube.
struct LatinHypercubeOptions {
  int runs = 0;  ///< 0: suggested_runs
  /// What is made even besides the single columns. `maximin` spreads the points in all parameters
  /// at once and is what a surrogate wants; `none` is a plain random Latin hypercube.
  enum class Criterion { maximin, none } criterion = Criterion::maximin;
  /// Exchanges tried by the search, in thousands.
  int effort = 200;
};

/// n runs whose every column takes n evenly spaced values once (middles of n strata); a column that
/// can only take m values takes each n/m times, give or take one. With limits the strata are those
/// of the region's own marginal distribution, and rows are exchanged until all are allowed.
///
/// M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21, 1979. Maximin: column exchanges by
/// simulated annealing on φ_p = (Σ d_ij^−p)^(1/p), p = 15, updated in O(n) an exchange (M. D. Morris and
/// T. J. Mitchell, J. Statistical Planning and Inference 43, 1995).
///
/// \throws Error  fewer than two runs; limits that leave almost nothing.
Plan latin_hypercube(const Space& space, const LatinHypercubeOptions& options, Seed seed);

}  // namespace renth
