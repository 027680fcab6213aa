#include <Eigen/Cholesky>
#include <renth/numeric/cholesky.hpp>

// RENTH_EIGEN_ONLY is for builds without LAPACK, such as a page; results agree to rounding.
#ifndef RENTH_EIGEN_ONLY
#include <cblas.h>
#include <lapacke.h>
#endif

namespace renth {

#ifdef RENTH_EIGEN_ONLY

bool cholesky_in_place(Eigen::MatrixXd& a) {
  return Eigen::internal::llt_inplace<double, Eigen::Lower>::blocked(a) == -1;
}
void inverse_from_cholesky(Eigen::MatrixXd& l) {
  Eigen::MatrixXd inverse = Eigen::MatrixXd::Identity(l.rows(), l.cols());
  l.triangularView<Eigen::Lower>().solveInPlace(inverse);
  l.triangularView<Eigen::Lower>() = inverse.transpose() * inverse;
}
void solve_lower(const Eigen::MatrixXd& l, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b) {
  l.triangularView<Eigen::Lower>().solveInPlace(b);
}
void solve_lower_transposed(const Eigen::MatrixXd& l,
                            Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b) {
  l.triangularView<Eigen::Lower>().transpose().solveInPlace(b);
}

#else

bool cholesky_in_place(Eigen::MatrixXd& a) {
  const auto n = static_cast<lapack_int>(a.rows());
  return LAPACKE_dpotrf_work(LAPACK_COL_MAJOR, 'L', n, a.data(), n) == 0;
}
void inverse_from_cholesky(Eigen::MatrixXd& l) {
  const auto n = static_cast<lapack_int>(l.rows());
  LAPACKE_dpotri_work(LAPACK_COL_MAJOR, 'L', n, l.data(), n);
}
void solve_lower(const Eigen::MatrixXd& l, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b) {
  cblas_dtrsm(CblasColMajor, CblasLeft, CblasLower, CblasNoTrans, CblasNonUnit,
              static_cast<blasint>(b.rows()), static_cast<blasint>(b.cols()), 1.0, l.data(),
              static_cast<blasint>(l.rows()), b.data(), static_cast<blasint>(b.outerStride()));
}
void solve_lower_transposed(const Eigen::MatrixXd& l,
                            Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> b) {
  cblas_dtrsm(CblasColMajor, CblasLeft, CblasLower, CblasTrans, CblasNonUnit, static_cast<blasint>(b.rows()),
              static_cast<blasint>(b.cols()), 1.0, l.data(), static_cast<blasint>(l.rows()), b.data(),
              static_cast<blasint>(b.outerStride()));
}

#endif

}  // namespace renth
