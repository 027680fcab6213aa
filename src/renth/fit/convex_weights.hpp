// What each of several surrogates should weigh in a blend.
#pragma once
#include <Eigen/Core>

namespace renth {

/// The weights w ≥ 0, Σ w = 1 for which the errors E·w are smallest in squares (L. Breiman, Machine Learning
/// 24, 1996, on stacked regressions). Every set of positive weights is looked at, so there should be few
/// columns; weights below 0.005 are then left out.
///
/// \param errors  n × k, of each of k models at n runs that it has not seen; columns of NaN get weight 0.
Eigen::VectorXd convex_weights(const Eigen::MatrixXd& errors);

}  // namespace renth
