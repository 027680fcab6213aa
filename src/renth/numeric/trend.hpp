// A smooth line through scattered points.
#pragma once
#include <Eigen/Core>

namespace renth {

/// Local straight lines with tricube weights over the nearest two thirds of the distinct x (W. S. Cleveland,
/// Journal of the American Statistical Association 74, 1979, without the robust steps), and no
/// fewer than lie within a third of the range, at each of `at`.
/// \returns NaN where all neighbours share one x.
Eigen::VectorXd trend(const Eigen::VectorXd& x, const Eigen::VectorXd& y, const Eigen::VectorXd& at);

}  // namespace renth
