#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <Eigen/QR>
#include <renth/numeric/dense.hpp>

namespace renth {

using Eigen::MatrixXd;
using Eigen::VectorXd;

struct QrFactor::Parts {
  Eigen::HouseholderQR<MatrixXd> qr;
};
QrFactor::QrFactor(const MatrixXd& a) : parts_(new Parts{Eigen::HouseholderQR<MatrixXd>(a)}) {}
QrFactor::~QrFactor() = default;
VectorXd QrFactor::solve(const VectorXd& b) const {
  return parts_->qr.solve(b);
}
MatrixXd QrFactor::triangle() const {
  return parts_->qr.matrixQR().topRows(parts_->qr.cols()).triangularView<Eigen::Upper>();
}
MatrixXd QrFactor::inverse_triangle() const {
  const Eigen::Index p = parts_->qr.cols();
  return parts_->qr.matrixQR().topRows(p).triangularView<Eigen::Upper>().solve(MatrixXd::Identity(p, p));
}
MatrixXd QrFactor::basis() const {
  return parts_->qr.householderQ() * MatrixXd::Identity(parts_->qr.rows(), parts_->qr.cols());
}

void QrFactor::turn(MatrixXd& b) const {
  b.applyOnTheLeft(parts_->qr.householderQ().adjoint());
}
void QrFactor::turn_back(MatrixXd& b) const {
  b.applyOnTheLeft(parts_->qr.householderQ());
}

Eigen::Index column_rank(const MatrixXd& a, std::optional<double> threshold) {
  Eigen::ColPivHouseholderQR<MatrixXd> qr;
  if (threshold) qr.setThreshold(*threshold);
  return qr.compute(a).rank();
}
MatrixXd column_basis(const MatrixXd& a) {
  const Eigen::ColPivHouseholderQR<MatrixXd> qr(a);
  MatrixXd basis = MatrixXd::Identity(a.rows(), qr.rank());
  basis.applyOnTheLeft(qr.householderQ());
  return basis;
}
MatrixXd least_squares(const MatrixXd& a, const MatrixXd& b) {
  return Eigen::ColPivHouseholderQR<MatrixXd>(a).solve(b);
}
VectorXd shortest_least_squares(const MatrixXd& a, const VectorXd& b, std::optional<double> threshold) {
  Eigen::CompleteOrthogonalDecomposition<MatrixXd> qr;
  if (threshold) qr.setThreshold(*threshold);
  qr.compute(a);
  return qr.solve(b);
}

VectorXd solve_upper(const MatrixXd& r, VectorXd b) {
  r.triangularView<Eigen::Upper>().solveInPlace(b);
  return b;
}
MatrixXd solve_upper(const MatrixXd& r, MatrixXd b) {
  r.triangularView<Eigen::Upper>().solveInPlace(b);
  return b;
}
VectorXd solve_upper_transposed(const MatrixXd& r, VectorXd b) {
  r.transpose().triangularView<Eigen::Lower>().solveInPlace(b);
  return b;
}
MatrixXd solve_upper_transposed(const MatrixXd& r, MatrixXd b) {
  r.transpose().triangularView<Eigen::Lower>().solveInPlace(b);
  return b;
}

VectorXd solve_symmetric(const MatrixXd& m, const VectorXd& b) {
  return m.ldlt().solve(b);
}
MatrixXd covariance_root(const MatrixXd& covariance) {
  const Eigen::SelfAdjointEigenSolver<MatrixXd> solved(covariance);
  return solved.eigenvectors() * solved.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal();
}

struct LuFactor::Parts {
  Eigen::PartialPivLU<MatrixXd> lu;
};
LuFactor::LuFactor(const MatrixXd& a) : parts_(new Parts{Eigen::PartialPivLU<MatrixXd>(a)}) {}
LuFactor::~LuFactor() = default;
double LuFactor::reciprocal_condition() const {
  return parts_->lu.rcond();
}
MatrixXd LuFactor::solve(const MatrixXd& b) const {
  return parts_->lu.solve(b);
}
MatrixXd LuFactor::inverse() const {
  return parts_->lu.inverse();
}

struct PositiveFactor::Parts {
  Eigen::LLT<MatrixXd> llt;
};
PositiveFactor::PositiveFactor(const MatrixXd& m) : parts_(new Parts{Eigen::LLT<MatrixXd>(m)}) {}
PositiveFactor::~PositiveFactor() = default;
bool PositiveFactor::is_definite() const {
  return parts_->llt.info() == Eigen::Success;
}
MatrixXd PositiveFactor::solve(const MatrixXd& b) const {
  return parts_->llt.solve(b);
}
MatrixXd PositiveFactor::inverse() const {
  return parts_->llt.solve(MatrixXd::Identity(parts_->llt.rows(), parts_->llt.cols()));
}
MatrixXd PositiveFactor::factor() const {
  return parts_->llt.matrixL();
}
VectorXd PositiveFactor::solve_factor(const VectorXd& b) const {
  return parts_->llt.matrixL().solve(b);
}
VectorXd PositiveFactor::pivots() const {
  return parts_->llt.matrixLLT().diagonal();
}
double PositiveFactor::log_determinant() const {
  return 2 * pivots().array().log().sum();
}

}  // namespace renth
