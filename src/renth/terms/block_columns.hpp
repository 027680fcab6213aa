// Blocks as columns of a regression.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// The blocks of n runs, counted 0, 1, … without gaps in the order of their numbers; empty: one block.
std::vector<int> numbered_blocks(const Eigen::VectorXi& blocks);

/// Those and their sum-to-zero contrasts.
struct BlockColumns {
  std::vector<int> of_run;    ///< n; empty: one block
  Eigen::MatrixXd contrasts;  ///< blocks × (blocks − 1)

  /// \param blocks  n block numbers; empty: one block.
  explicit BlockColumns(const Eigen::VectorXi& blocks);
  Eigen::Index size() const { return contrasts.cols(); }
  /// n × size().
  Eigen::MatrixXd columns() const { return contrasts(of_run, Eigen::all); }
};

}  // namespace renth
