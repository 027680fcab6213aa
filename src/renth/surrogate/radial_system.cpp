#include <cmath>
#include <limits>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/surrogate/radial_system.hpp>

namespace renth {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

/// φ of squared distances, in place.
void radial(RadialBasis basis, double c, Eigen::Ref<Eigen::ArrayXXd> squared) {
  switch (basis) {
    case RadialBasis::cubic:
      squared *= squared.sqrt();
      break;
    case RadialBasis::thin_plate:
      squared *= 0.5 * squared.max(1e-300).log();
      break;
    case RadialBasis::multiquadric:
      squared = -(squared + c * c).sqrt();
      break;
    case RadialBasis::gaussian:
      squared = (-squared / (c * c)).exp();
      break;
  }
}

/// φ(0).
double radial_at_zero(RadialBasis basis, double c) {
  return basis == RadialBasis::multiquadric ? -c : basis == RadialBasis::gaussian ? 1 : 0;
}

}  // namespace

MatrixXd radial_matrix(RadialBasis basis, double shape, const MatrixXd& one, const MatrixXd& other) {
  Eigen::ArrayXXd phi(one.rows(), other.rows());
  for (Index j = 0; j < other.rows(); ++j)
    phi.col(j) = (one.rowwise() - other.row(j)).rowwise().squaredNorm();
  radial(basis, shape, phi);
  return phi.matrix();
}

RadialSystem::RadialSystem(RadialBasis basis, double shape, double smoothing, const MatrixXd& runs,
                           const MatrixXd& tail)
    : qr_(tail), n_(runs.rows()), p_(tail.cols()), own_(radial_at_zero(basis, shape)) {
  triangle_ = qr_.triangle();
  MatrixXd phi = radial_matrix(basis, shape, runs, runs);
  phi.diagonal().array() += smoothing;
  qr_.turn(phi);
  phi.transposeInPlace();
  qr_.turn(phi);
  top_ = phi.topRows(p_);
  factor_ = phi.bottomRightCorner(n_ - p_, n_ - p_);
  roots_ = factor_.diagonal().cwiseMax(0).cwiseSqrt();
  definite_ = cholesky_in_place(factor_);
}

VectorXd RadialSystem::weights(const VectorXd& y) const {
  MatrixXd turned = y;
  qr_.turn(turned);
  MatrixXd alpha = turned.bottomRows(n_ - p_);
  solve_lower(factor_, alpha);
  solve_lower_transposed(factor_, alpha);
  VectorXd out(n_ + p_);
  const VectorXd left = turned.topRows(p_) - top_.rightCols(n_ - p_) * alpha;
  out.tail(p_) = solve_upper(triangle_, left);
  MatrixXd w = MatrixXd::Zero(n_, 1);
  w.bottomRows(n_ - p_) = alpha;
  qr_.turn_back(w);
  out.head(n_) = w;
  return out;
}

VectorXd RadialSystem::inverse_diagonal() const {
  MatrixXd turned = MatrixXd::Identity(n_, n_);
  qr_.turn(turned);
  MatrixXd white = turned.bottomRows(n_ - p_);
  solve_lower(factor_, white);
  return white.colwise().squaredNorm();
}

MatrixXd RadialSystem::split(MatrixXd& k, const MatrixXd& tail) const {
  qr_.turn(k);
  MatrixXd v = solve_upper_transposed(triangle_, tail);
  k.bottomRows(n_ - p_).noalias() -= top_.rightCols(n_ - p_).transpose() * v;
  return v;
}

MatrixXd RadialSystem::covariance(const MatrixXd& between, MatrixXd k, const MatrixXd& tail) const {
  const MatrixXd v = split(k, tail);
  const MatrixXd across = k.topRows(p_).transpose() * v;
  MatrixXd out = between - across - across.transpose() + v.transpose() * top_.leftCols(p_) * v;
  MatrixXd white = k.bottomRows(n_ - p_);
  solve_lower(factor_, white);
  out.noalias() -= white.transpose() * white;
  return 0.5 * (out + out.transpose());
}

RadialSystem::VarianceMaps RadialSystem::variance_maps() const {
  VarianceMaps out;
  out.own = own_;
  out.tail = solve_upper_transposed(triangle_, MatrixXd(MatrixXd::Identity(p_, p_)));
  MatrixXd turned = MatrixXd::Identity(n_, n_);
  qr_.turn(turned);
  out.tops = turned.topRows(p_);
  out.corner = top_.leftCols(p_);
  out.white = turned.bottomRows(n_ - p_);
  solve_lower(factor_, out.white);
  out.white_tail = top_.rightCols(n_ - p_).transpose();
  solve_lower(factor_, out.white_tail);
  return out;
}

VectorXd RadialSystem::variances(MatrixXd k, const MatrixXd& tail) const {
  const MatrixXd v = split(k, tail), tops = k.topRows(p_);
  MatrixXd white = k.bottomRows(n_ - p_);
  solve_lower(factor_, white);
  VectorXd out =
      (own_ - 2 * tops.cwiseProduct(v).colwise().sum().array() +
       v.cwiseProduct(top_.leftCols(p_) * v).colwise().sum().array() - white.colwise().squaredNorm().array())
          .matrix()
          .transpose();
  solve_lower_transposed(factor_, white);
  // What rounding of A, of relative size ε, and of the other terms can make of them.
  const Eigen::ArrayXd terms =
      std::abs(own_) + 2 * tops.cwiseProduct(v).cwiseAbs().colwise().sum().array() +
      v.cwiseAbs().cwiseProduct(top_.leftCols(p_).cwiseAbs() * v.cwiseAbs()).colwise().sum().array() +
      (roots_.transpose() * white.cwiseAbs()).array().square();
  return out.cwiseMax((std::numeric_limits<double>::epsilon() * terms).matrix());
}

}  // namespace renth
