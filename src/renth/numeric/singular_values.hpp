// Singular values, by LAPACK.
#pragma once
#include <Eigen/Core>

namespace renth {

/// A = U·diag(values)·Vᵀ with as many values as A's shorter side has, descending.
struct SingularValues {
  Eigen::VectorXd values;
  Eigen::MatrixXd right;  ///< V: the right vectors as columns
};
/// \throws Error (machine)  LAPACK gives up, which finite numbers do not make it do.
SingularValues singular_values(Eigen::MatrixXd a);

}  // namespace renth
