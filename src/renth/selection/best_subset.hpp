// The best subset of every size.
#pragma once
#include <renth/fit/regression.hpp>
#include <renth/selection/subset.hpp>

namespace renth {

/// The subset of units with the least residual sum of squares among those of one number of columns.
struct SubsetOfSize {
  Eigen::Index columns = 0;
  double sse = 0;
  std::vector<bool> in;  ///< a unit
};

/// For each number of columns the best subset in which every unit has its parents. Branch and bound (G. M.
/// Furnival and R. W. Wilson, Technometrics 16, 1974): terms are taken out of the full model in a fixed
/// order, and a branch ends when even its root cannot beat the best known of any size in it.
///
/// \param design  all columns estimable.
std::vector<SubsetOfSize> best_subsets(const Regression& design, const std::vector<TermUnit>& units);

}  // namespace renth
