// Runs at the same setting, and how they differ.
#pragma once
#include <Eigen/Core>
#include <renth/surrogate/data.hpp>
#include <vector>

namespace renth {

/// For each run the number (0, 1, …) of its replicate group: runs with the same point and block.
std::vector<int> replicate_groups(const Data& data);

/// How many groups such numbers name.
int group_count(const std::vector<int>& groups);

/// How replicates scatter about their own means: Σ w (y − ȳ)² and its degrees of freedom.
struct PureError {
  double ss = 0;
  int df = 0;
};
/// \param root  n roots of the weights.
PureError pure_error(const Data& data, const Eigen::VectorXd& y, const Eigen::VectorXd& root);

}  // namespace renth
