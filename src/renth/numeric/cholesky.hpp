// Cholesky factors through LAPACK where there is one, through Eigen alone where there is not.
#pragma once
#include <Eigen/Core>

namespace renth {

/// Replaces the lower triangle of the symmetric matrix `a` (n × n) by its factor L, a = L·Lᵀ.
/// The strict upper triangle is neither read nor written. \returns false if `a` is not positive
/// definite to working precision; `a` is then spoiled.
bool cholesky_in_place(Eigen::MatrixXd& a);

/// Replaces the lower triangle of L by that of (L·Lᵀ)⁻¹.
void inverse_from_cholesky(Eigen::MatrixXd& l);

/// Solves L·X = B in place; B is n × m.
void solve_lower(const Eigen::MatrixXd& l, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b);

/// Solves Lᵀ·X = B in place; B is n × m.
void solve_lower_transposed(const Eigen::MatrixXd& l, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b);

}  // namespace renth
