// Distance covariance of two columns, in O(n log n).
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// One column prepared: sums of its distances to all others.
class DistanceColumn {
 public:
  /// Distances |x_i − x_j|.
  static DistanceColumn of_numbers(const Eigen::VectorXd& x);
  /// Distances 0 within a label and 1 between two.
  static DistanceColumn of_labels(const Eigen::VectorXd& labels);

  Eigen::Index size() const { return values_.size(); }
  bool labels() const { return labels_; }
  const Eigen::VectorXd& values() const { return values_; }
  const Eigen::VectorXd& sums() const { return sums_; }  ///< Σ_j a_ij
  double total() const { return sums_.sum(); }
  const std::vector<Eigen::Index>& order() const { return order_; }  ///< ascending

 private:
  Eigen::VectorXd values_, sums_;
  std::vector<Eigen::Index> order_;
  bool labels_ = false;
};

/// The unbiased squared distance covariance of x with the numbers y (G. J. Székely and M. L. Rizzo, Annals of
/// Statistics 42, 2014, equation 3.2), Σ a_ij b_ij summed in order of x with running sums by rank of y (X.
/// Huo and G. J. Székely, Technometrics 58, 2016); may be below 0.
///
/// \param permuted  of each run of x the run of y beside it; n ≥ 4.
double distance_covariance(const DistanceColumn& x, const DistanceColumn& y,
                           const std::vector<Eigen::Index>& permuted);

}  // namespace renth
