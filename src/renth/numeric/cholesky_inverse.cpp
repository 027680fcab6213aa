#include <renth/numeric/cholesky_inverse.hpp>
#include <renth/numeric/lapack.hpp>

namespace renth {

void inverse_from_cholesky(Eigen::MatrixXd& l) {
  const int n = int(l.rows());
  int info = 0;
  dpotri_("L", &n, l.data(), &n, &info, 1);
}

}  // namespace renth
