// The triangular factor of a matrix with many rows and few columns.
#pragma once
#include <Eigen/Core>

namespace renth {

/// R (p × p, upper triangular, diagonal ≥ 0) with RᵀR = XᵀX for an n × p matrix, by Householder reflections
/// (never by forming XᵀX): blocks of rows that fit the cache are reduced one after another onto the factor of
/// those before, chunks of them side by side on all threads, and the chunks' factors in order (J. Demmel,
/// L. Grigori, M. Hoemmen, J. Langou, SIAM Journal on Scientific Computing 34, 2012, section 2.1). The same
/// bits on any number of threads. n may be less than p; then the last rows are zero.
Eigen::MatrixXd triangular_factor(const Eigen::MatrixXd& x);

/// The squared norms of the rows of X·R⁻¹ (n): the diagonal of the hat matrix when R is the factor of X.
/// \param r  upper triangular, without a zero on its diagonal.
Eigen::VectorXd hat_diagonal(const Eigen::MatrixXd& x, const Eigen::MatrixXd& r);

}  // namespace renth
