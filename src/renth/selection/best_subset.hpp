// The best subset of every size.
#pragma once
#include <renth/selection/subset.hpp>

namespace renth {

/// For each number of columns the subset of units with the least residual sum of squares that obeys heredity.
struct SubsetOfSize {
  Eigen::Index columns = 0;
  double sse = 0;
  std::vector<bool> in;  ///< a unit
};

/// Branch and bound (G. M. Furnival and R. W. Wilson, Technometrics 16, 1974): terms are taken out of the
/// full model in a fixed order, and a branch ends when even its root cannot beat the best known of any size
/// in it. \param design  all columns estimable.  \param heredity  only subsets with all their parents count.
std::vector<SubsetOfSize> best_subsets(const Regression& design, const std::vector<TermUnit>& units,
                                       bool heredity);

}  // namespace renth
