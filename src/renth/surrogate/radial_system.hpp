// The equations behind radial basis functions with a polynomial tail.
#pragma once
#include <Eigen/Core>
#include <memory>
#include <renth/base/words.hpp>
#include <renth/numeric/dense.hpp>
#include <string_view>

namespace renth {

/// φ(r), r the distance in the unit cube (two choices are 1 apart).
enum class RadialBasis {
  cubic,         ///< r³, tail linear
  thin_plate,    ///< r² ln r, tail linear
  multiquadric,  ///< −√(r² + c²), tail linear
  gaussian,      ///< e^(−r²/c²), tail constant
};
inline constexpr EnumWords<RadialBasis, 4> radial_basis_words{
    "radial basis", {"cubic", "thin-plate", "multiquadric", "gaussian"}};
constexpr std::string_view name(RadialBasis basis) {
  return radial_basis_words(basis);
}

/// φ between the rows of `one` (n × f) and `other` (m × f): n × m.
Eigen::MatrixXd radial_matrix(RadialBasis basis, double shape, const Eigen::MatrixXd& one,
                              const Eigen::MatrixXd& other);

/// Φw + Pb = y, Pᵀw = 0 at n runs with a tail of p columns P. With P = Q·[R; 0] and Φ turned, QᵀΦQ, what is
/// left of it beyond the first p rows and columns, A, is positive definite for a φ that is so conditionally
/// (H. Wendland, Scattered Data Approximation, 2005, section 8.5; the turn is that of M. J. D. Powell, The
/// theory of radial basis function approximation in 1990, 1992, section 4): A = L·Lᵀ needs no pivots, and
/// variances are differences of squares that rounding hardly turns round however flat φ is.
class RadialSystem {
 public:
  /// \param smoothing  added to the diagonal of Φ.  \param tail  n × p, full rank, p < n.
  RadialSystem(RadialBasis basis, double shape, double smoothing, const Eigen::MatrixXd& runs,
               const Eigen::MatrixXd& tail);

  /// To working precision; else the rest means nothing.
  bool is_definite() const { return definite_; }
  /// w, then b (n + p), for y (n).
  Eigen::VectorXd weights(const Eigen::VectorXd& y) const;
  /// n, of the inverse: w_i over it is the error at run i when it is left out.
  Eigen::VectorXd inverse_diagonal() const;
  /// The joint generalised covariance of the errors at m points, of scale 1: φ between them (m × m) given,
  /// φ to the runs (n × m) and the tail there (p × m).
  Eigen::MatrixXd covariance(const Eigen::MatrixXd& between, Eigen::MatrixXd to_runs,
                             const Eigen::MatrixXd& tail) const;
  /// Variances as plain sums for who evaluates them elsewhere. With k, φ to the runs, t, the tail, and
  /// v = tail·t: own − 2·(tops·k)ᵀv + vᵀ·corner·v − |white·k − white_tail·v|².
  struct VarianceMaps {
    double own = 0;
    Eigen::MatrixXd tail, tops, corner, white, white_tail;
  };
  VarianceMaps variance_maps() const;
  /// Its diagonal, never below what rounding may have taken.
  Eigen::VectorXd variances(Eigen::MatrixXd to_runs, const Eigen::MatrixXd& tail) const;

 private:
  /// Turns `to_runs` in its place, and returns R⁻ᵀ times the tail; the rows of `to_runs` beyond the first p
  /// then become those of A's side.
  Eigen::MatrixXd split(Eigen::MatrixXd& to_runs, const Eigen::MatrixXd& tail) const;

  QrFactor qr_;
  Eigen::Index n_, p_;
  double own_;
  Eigen::MatrixXd triangle_;  // R
  Eigen::MatrixXd top_;       // the first p rows of QᵀΦQ, p × n
  Eigen::MatrixXd factor_;    // L
  Eigen::VectorXd roots_;     // of A's diagonal
  bool definite_ = false;
};

}  // namespace renth
