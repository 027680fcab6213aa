// What surrogates are fitted to.
#pragma once
#include <Eigen/Core>
#include <renth/space/space.hpp>
#include <vector>

namespace renth {

/// Runs of one response, as make_data() makes them or check_data() finds them in order. Rows that are set
/// aside, failed or missing are not in here.
struct Data {
  Eigen::MatrixXd inputs;   ///< n × d, natural units; a choice is its index
  Eigen::MatrixXd outputs;  ///< n × q: one column, or one an axis point (NaN where missing)
  Eigen::VectorXi blocks;   ///< n block numbers; empty: one block
  bool noisy = false;       ///< the same setting need not give the same output
  Eigen::VectorXd weights;  ///< n, > 0: a run counts as that many; empty: all count alike
  Eigen::VectorXi plots;    ///< n numbers of whole plots, whose runs share an error; empty: none

  Eigen::Index size() const { return inputs.rows(); }
  Data rows(const std::vector<Eigen::Index>& which) const;
  /// The runs that have one output, with that output alone.
  Data with_output(Eigen::Index output) const;
};

/// Runs that are in order. \throws Error  as check_data().
Data make_data(const Space& space, Eigen::MatrixXd inputs, Eigen::MatrixXd outputs, bool noisy = false);

/// Does everything fit together? \throws Error  what check_points() refuses; other numbers of rows; no
/// output;
///                                        an output that is infinite (NaN is missing); a weight not above 0.
void check_data(const Space& space, const Data& data);

}  // namespace renth
