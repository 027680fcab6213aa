// Means of products of terms over the region.
#pragma once
#include <Eigen/Core>
#include <renth/terms/terms.hpp>

namespace renth {

/// E[f fᵀ] (p × p) with the point uniform over the region: spans uniform, each level and choice equally
/// likely, limits obeyed. Exact without limits; with them the mean over 2¹⁵ region_points(), an error of
/// about one part in a thousand.
/// \throws Error  the limits leave almost nothing.
Eigen::MatrixXd region_moments(const Space& space, const Terms& terms);

}  // namespace renth
