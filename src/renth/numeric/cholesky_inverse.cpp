#include <lapacke.h>

#include <renth/numeric/cholesky_inverse.hpp>

namespace renth {

void inverse_from_cholesky(Eigen::MatrixXd& l) {
  const auto n = static_cast<lapack_int>(l.rows());
  LAPACKE_dpotri_work(LAPACK_COL_MAJOR, 'L', n, l.data(), n);
}

}  // namespace renth
