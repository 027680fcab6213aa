// Ranks of values, as rank statistics count them.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// The places 0 … n − 1 of values in ascending order; equal ones keep their order.
std::vector<Eigen::Index> ascending(const Eigen::VectorXd& values);

/// 1 … n; equal values share the mean of theirs (M. G. Kendall, Rank Correlation Methods, 1948, chapter 3).
Eigen::VectorXd average_ranks(const Eigen::VectorXd& values);

}  // namespace renth
