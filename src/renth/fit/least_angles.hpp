// The order in which least angles takes up the columns of a matrix.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// What least squares on a growing set of columns leaves over.
struct LeastAnglePath {
  std::vector<int> order;     ///< columns as they come in
  std::vector<double> error;  ///< after the constant and the first k columns, k = 0, 1, …: corrected
                              ///< leave-one-out mean square
  std::size_t best() const;   ///< k of the smallest
};

/// Least-angle regression (B. Efron, T. Hastie, I. Johnstone, R. Tibshirani, Annals of Statistics 32, 2004,
/// section 2) of y on centred and scaled columns. Along its order least squares is refitted by Gram–Schmidt,
/// and the mean of (e_i/(1 − h_i))² multiplied by n/(n − k) (1 + tr(ΨᵀΨ)⁻¹), the correction for small n of O.
/// Chapelle, V. Vapnik, Y. Bengio, Machine Learning 48, 2002.
///
/// \param columns  n × p without the constant; columns that depend on those before are passed over.
/// \param most     columns at most.
LeastAnglePath least_angles(const Eigen::MatrixXd& columns, const Eigen::VectorXd& y, int most);

}  // namespace renth
