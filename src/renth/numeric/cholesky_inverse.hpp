// The inverse from a Cholesky factor, by LAPACK.
#pragma once
#include <Eigen/Core>

namespace renth {

/// Replaces the lower triangle of L by that of (L·Lᵀ)⁻¹.
void inverse_from_cholesky(Eigen::MatrixXd& l);

}  // namespace renth
