// Dense factorisations behind a few plain functions: Eigen's, compiled once and not in every file that needs
// one.
#pragma once
#include <Eigen/Core>
#include <memory>
#include <optional>

namespace renth {

/// A = Q·R by Householder reflections, of an n × p matrix with n ≥ p.
class QrFactor {
 public:
  explicit QrFactor(const Eigen::MatrixXd& a);
  ~QrFactor();
  QrFactor(const QrFactor&) = delete;
  QrFactor& operator=(const QrFactor&) = delete;
  /// The least-squares solution of A·x = b.
  Eigen::VectorXd solve(const Eigen::VectorXd& b) const;
  Eigen::MatrixXd triangle() const;          ///< R, p × p
  Eigen::MatrixXd inverse_triangle() const;  ///< R⁻¹
  Eigen::MatrixXd basis() const;             ///< the first p columns of Q, n × p
  void turn(Eigen::MatrixXd& b) const;       ///< QᵀB in the place of B (n × m), all n columns of Q
  void turn_back(Eigen::MatrixXd& b) const;  ///< QB in the place of B

 private:
  struct Parts;
  std::unique_ptr<const Parts> parts_;
};

/// How many columns of a matrix are independent. \param threshold  relative, below which a pivot counts as
/// nought; without it, working precision.
Eigen::Index column_rank(const Eigen::MatrixXd& a, std::optional<double> threshold = {});
/// Least squares by a pivoting QR factor, for columns that may nearly depend on each other.
Eigen::MatrixXd least_squares(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b);
/// The shortest least-squares solution. \param threshold  relative, below which a pivot counts as nought;
/// without it, working precision.
Eigen::VectorXd shortest_least_squares(const Eigen::MatrixXd& a, const Eigen::VectorXd& b,
                                       std::optional<double> threshold = {});

/// An orthonormal basis of a matrix's columns, n × rank.
Eigen::MatrixXd column_basis(const Eigen::MatrixXd& a);

/// R⁻¹B and R⁻ᵀB of an upper triangular R (p × p), whose lower triangle is not read.
Eigen::VectorXd solve_upper(const Eigen::MatrixXd& r, Eigen::VectorXd b);
Eigen::MatrixXd solve_upper(const Eigen::MatrixXd& r, Eigen::MatrixXd b);
Eigen::VectorXd solve_upper_transposed(const Eigen::MatrixXd& r, Eigen::VectorXd b);
Eigen::MatrixXd solve_upper_transposed(const Eigen::MatrixXd& r, Eigen::MatrixXd b);

/// M⁻¹b of a symmetric M that may be indefinite, by its pivoting factor L·D·Lᵀ.
Eigen::VectorXd solve_symmetric(const Eigen::MatrixXd& m, const Eigen::VectorXd& b);
/// V·√Λ of a covariance matrix V·Λ·Vᵀ, whose smallest eigenvalues rounding may leave below 0. For those that
/// are large see symmetric_eigen.hpp.
Eigen::MatrixXd covariance_root(const Eigen::MatrixXd& covariance);

/// A = P·L·U of a square matrix.
class LuFactor {
 public:
  explicit LuFactor(const Eigen::MatrixXd& a);
  ~LuFactor();
  LuFactor(const LuFactor&) = delete;
  LuFactor& operator=(const LuFactor&) = delete;
  double reciprocal_condition() const;
  Eigen::MatrixXd solve(const Eigen::MatrixXd& b) const;
  Eigen::MatrixXd inverse() const;

 private:
  struct Parts;
  std::unique_ptr<const Parts> parts_;
};

/// M = L·Lᵀ of a small positive definite matrix, whose lower triangle is read. For those of many runs see
/// cholesky.hpp.
class PositiveFactor {
 public:
  explicit PositiveFactor(const Eigen::MatrixXd& m);
  ~PositiveFactor();
  PositiveFactor(const PositiveFactor&) = delete;
  PositiveFactor& operator=(const PositiveFactor&) = delete;
  bool is_definite() const;  ///< to working precision; else the rest means nothing
  Eigen::MatrixXd solve(const Eigen::MatrixXd& b) const;
  Eigen::MatrixXd inverse() const;
  Eigen::VectorXd pivots() const;                                ///< the diagonal of L
  Eigen::MatrixXd factor() const;                                ///< L
  Eigen::VectorXd solve_factor(const Eigen::VectorXd& b) const;  ///< L⁻¹b
  double log_determinant() const;

 private:
  struct Parts;
  std::unique_ptr<const Parts> parts_;
};

}  // namespace renth
