// Latin hypercubes: every parameter's range evenly used, whatever the number of runs.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a Latin hypercube.
struct LatinHypercubeOptions {
  int runs = 0;  ///< 0: suggested_runs
  /// What is made even besides the single columns. `maximin` keeps points far apart in all parameters at
  /// once and is what a surrogate wants; `discrepancy` makes every box hold its share, for means over
  /// the region; `projection` keeps points apart in every two, three and more of the parameters, for when
  /// only a few of them may matter; `none` is a plain random Latin hypercube.
  enum class Criterion { maximin, discrepancy, projection, none } criterion = Criterion::maximin;
  double effort = 1;  ///< how long to search, as a multiple of the usual
};

/// n runs whose every column takes n evenly spaced values once (middles of n strata); a column that
/// can only take m values takes each n/m times, give or take one. With limits the strata are those
/// of the region's own marginal distribution, and rows are exchanged until all are allowed.
///
/// M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21, 1979; the search is exchange_to_even().
///
/// \throws Error  fewer than two runs; limits that leave almost nothing.
Plan latin_hypercube(const Space& space, const LatinHypercubeOptions& options, Seed seed);

LatinHypercubeOptions::Criterion parse_evenness(std::string_view text);
std::string_view name(LatinHypercubeOptions::Criterion criterion);

}  // namespace renth
