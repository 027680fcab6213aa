// Eigenvalues of a symmetric matrix, by LAPACK.
#pragma once
#include <Eigen/Core>

namespace renth {

struct SymmetricEigen {
  Eigen::VectorXd values;   ///< ascending
  Eigen::MatrixXd vectors;  ///< its eigenvectors as columns, of length 1
};
/// \param m  whose lower triangle is read.
/// \throws Error  if the values are not finite.
SymmetricEigen symmetric_eigen(Eigen::MatrixXd m);
Eigen::VectorXd symmetric_eigenvalues(Eigen::MatrixXd m);

}  // namespace renth
