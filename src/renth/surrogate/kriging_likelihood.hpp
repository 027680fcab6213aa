// The likelihood that kriging maximises, with its analytic gradient.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// Lower triangle of K = R + nugget·I for scaled runs (n × f); the strict upper is left undefined.
void correlation_matrix(const Eigen::MatrixXd& scaled_runs, double nugget, Eigen::MatrixXd& k);

/// −ln L of (ln θ, ln nugget), with the mean and the variance at their best for each:
///
///   −ln L = ½ (n ln σ̂² + ln|K|) + const,  μ̂ = 1ᵀK⁻¹y / 1ᵀK⁻¹1,  σ̂² = (y − μ̂)ᵀK⁻¹(y − μ̂)/n
///
/// (J. Sacks, W. J. Welch, T. J. Mitchell, H. P. Wynn, Statistical Science 4, 1989, section 5),
/// and by K. V. Mardia and R. J. Marshall, Biometrika 71, 1984, equation 2.4, with W = K⁻¹ − ααᵀ/σ̂²
/// and α = K⁻¹(y − μ̂):  ∂(−ln L)/∂t = ½ tr(W ∂K/∂t).
///
/// One object is for one thread: it keeps its n × n work space between calls.
class KrigingLikelihood {
 public:
  /// \param features  n × f in the unit cube (see features()).
  /// \param owner     for each feature its parameter 0 … d − 1.
  /// \param y         n outputs.
  KrigingLikelihood(Eigen::MatrixXd features, std::vector<int> owner, int parameters, Eigen::VectorXd y);

  /// \param log_parameters  d numbers ln θ, and ln nugget if a nugget is estimated (d + 1).
  /// \param gradient        nullptr, or filled with as many derivatives.
  /// \returns  −ln L; a nugget of `floor` keeps K positive definite if none is given. +∞ if K is
  ///           singular all the same.
  double operator()(const Eigen::VectorXd& log_parameters, Eigen::VectorXd* gradient);

  /// Values at the last call.
  double mean() const { return mean_; }
  double sigma2() const { return sigma2_; }  ///< with divisor n
  const Eigen::VectorXd& weights() const { return alpha_; }
  const Eigen::MatrixXd& scaled_runs() const { return scaled_; }
  int evaluations() const { return evaluations_; }

  static constexpr double floor = 1e-10;

 private:
  Eigen::MatrixXd features_, scaled_, k_, slope_;
  std::vector<int> owner_;
  int parameters_;
  Eigen::VectorXd y_, alpha_;
  double mean_ = 0, sigma2_ = 0;
  int evaluations_ = 0;
};

}  // namespace renth
