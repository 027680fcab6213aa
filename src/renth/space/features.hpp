// Points as vectors between which a distance makes sense.
#pragma once
#include <Eigen/Core>
#include <renth/space/space.hpp>
#include <vector>

namespace renth {

/// The points in the unit cube with every choice replaced by the corners of a simplex, so that two
/// different choices are at distance 1 from each other (m × f).
Eigen::MatrixXd features(const Space& space, Points natural);

/// For each column of features(): the parameter it belongs to.
std::vector<int> feature_parameters(const Space& space);

/// For each column of features(): the number of its correlation length. A number has one; of three choices
/// or more each has its own, so that two choices a, b are at squared distance ½(1/θ_a² + 1/θ_b²).
std::vector<int> feature_lengths(const Space& space);

}  // namespace renth
