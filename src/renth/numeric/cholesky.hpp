// Cholesky factors, at the speed that the processor allows: Eigen's, compiled for each instruction set.
#pragma once
#include <Eigen/Core>

namespace renth {

/// Replaces the lower triangle of the symmetric matrix `a` (n × n) by its factor L, a = L·Lᵀ.
/// The strict upper triangle is neither read nor written. \returns false if `a` is not positive
/// definite to working precision; `a` is then spoiled.
bool cholesky_in_place(Eigen::MatrixXd& a);

/// Solves L·X = B in place; B is n × m.
void solve_lower(const Eigen::MatrixXd& l, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b);

/// Solves Lᵀ·X = B in place; B is n × m.
void solve_lower_transposed(const Eigen::MatrixXd& l, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b);

}  // namespace renth
