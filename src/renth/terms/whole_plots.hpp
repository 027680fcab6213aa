// Runs made in whole plots: groups that share an error, because what is hard to set was set once for all.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// The whole plots of n runs. With an error of variance η between plots and 1 within, the covariance of the
/// runs is V = 1 + η·11ᵀ within a plot of k runs, and V^(−1/2) = 1 − (θ/k)·11ᵀ, θ = 1 − 1/√(1 + ηk) (W. A.
/// Fuller and G. E. Battese, J. American Statistical Association 68, 1973).
class WholePlots {
 public:
  WholePlots() = default;
  /// \param of  n plot numbers.
  explicit WholePlots(const Eigen::VectorXi& of);

  Eigen::Index count() const { return size_.size(); }
  const std::vector<int>& of_run() const { return of_; }  ///< n: 0, 1, … without gaps
  const Eigen::VectorXd& sizes() const { return size_; }  ///< runs of each
  Eigen::MatrixXd means(const Eigen::MatrixXd& x) const;  ///< count() × columns
  /// V^(−1/2)·x, n × columns. \param ratio  η, above −1/k of the largest plot.
  Eigen::MatrixXd whitened(const Eigen::MatrixXd& x, double ratio) const;
  double log_determinant(double ratio) const;  ///< ln det V

 private:
  std::vector<int> of_;
  Eigen::VectorXd size_;
};

}  // namespace renth
