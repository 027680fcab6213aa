// What surrogates are fitted to.
#pragma once
#include <Eigen/Core>
#include <renth/space/space.hpp>
#include <string_view>
#include <vector>

namespace renth {

/// Runs of one response. Rows that are set aside, failed or missing are not in here.
struct Data {
  Eigen::MatrixXd inputs;   ///< n × d, natural units; a choice is its index
  Eigen::MatrixXd outputs;  ///< n × q: one column, or one an axis point (NaN where missing)
  Eigen::VectorXi blocks;   ///< n block numbers; empty: one block
  bool noisy = false;       ///< the same setting need not give the same output
  Eigen::VectorXd weights;  ///< n, > 0: a run counts as that many; empty: all count alike

  Eigen::Index size() const { return inputs.rows(); }
  Data rows(const std::vector<Eigen::Index>& which) const;
  /// The runs that have one output, with that output alone.
  Data with_output(Eigen::Index output) const;
};

/// The first output about its mean, in standard deviations: y = centre + spread·z.
struct Standardised {
  double centre = 0, spread = 1;
  Eigen::VectorXd z;
};
/// \param kind  of surrogate, named in errors.
/// \throws Error  an output that is not finite; all outputs the same.
Standardised standardise(const Data& data, std::string_view kind);

/// For each run the number (0, 1, …) of its replicate group: runs with the same point and block.
std::vector<int> replicate_groups(const Data& data);

/// How replicates scatter about their own means: Σ w (y − ȳ)² and its degrees of freedom.
struct PureError {
  double ss = 0;
  int df = 0;
};
/// \param root  n roots of the weights.
PureError pure_error(const Data& data, const Eigen::VectorXd& y, const Eigen::VectorXd& root);

}  // namespace renth
