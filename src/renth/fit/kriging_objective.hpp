// What kriging minimises to find its correlation lengths, with the analytic gradient.
#pragma once
#include <Eigen/Core>
#include <renth/base/words.hpp>
#include <renth/numeric/kernels.hpp>
#include <vector>

namespace renth {

/// How correlation lengths are judged.
enum class KrigingCriterion { likelihood, leave_one_out };
inline constexpr EnumWords<KrigingCriterion, 2> kriging_criterion_words{"criterion",
                                                                        {"likelihood", "leave-one-out"}};

/// Bounds of ln θ a length, and of ln nugget if it is estimated: 0.02 to 100 spans, 1e-10 to 10.
Eigen::VectorXd least_logs(int lengths, bool nugget);
Eigen::VectorXd most_logs(int lengths, bool nugget);

/// The data of one fit.
struct KrigingProblem {
  Eigen::MatrixXd features;  ///< n × f in the unit cube (see features())
  std::vector<int> owner;    ///< for each feature the number of its length (see feature_lengths())
  Eigen::VectorXd y;         ///< n outputs, best centred and scaled
  Eigen::MatrixXd trend;     ///< n × p, full rank, p < n
  Kernel kernel = Kernel::matern52;
  KrigingCriterion criterion = KrigingCriterion::likelihood;
  bool prior = true;
  double nugget = 0;  ///< as a share of σ², when it is not estimated

  int lengths() const { return owner.empty() ? 0 : owner.back() + 1; }
};

/// A function of (ln θ, ln nugget); with the trend and the variance at their best for each:
///
/// likelihood:     −ln L = ½ (n ln σ̂² + ln|K|) + const,  β̂ = (FᵀK⁻¹F)⁻¹FᵀK⁻¹y,  σ̂² = rᵀK⁻¹r/n, r = y − Fβ̂
///   (J. Sacks, W. J. Welch, T. J. Mitchell, H. P. Wynn, Statistical Science 4, 1989, section 5); with
///   α = K⁻¹r its slope is ½ tr((K⁻¹ − ααᵀ/σ̂²) ∂K) (K. V. Mardia and R. J. Marshall, Biometrika 71, 1984,
///   equation 2.4).
/// leave_one_out:  ½ n ln(Σ e_i²/n), e_i = (Qy)_i/Q_ii, Q = K⁻¹ − K⁻¹F(FᵀK⁻¹F)⁻¹FᵀK⁻¹ (O. Dubrule,
///   Mathematical Geology 15, 1983), the error at a run when it is left out and lengths are kept;
///   ∂Q = −Q ∂K Q gives the slope (F. Bachoc, Computational Statistics & Data Analysis 66, 2013).
///
/// To both, if `prior`, is added −a ln S + b S with S = Σ C/θ_l + nugget, C = n^(−1/l), a = 0.2,
/// b = C (a + l) for l lengths: the jointly robust prior of M. Gu, Bayesian Analysis 14, 2019, section 3,
/// which keeps few runs from very short lengths and from all lengths being endless, and lets single ones be.
///
/// One object is for one thread: it keeps its n × n work space between calls.
class KrigingObjective {
 public:
  explicit KrigingObjective(KrigingProblem problem) : problem_(std::move(problem)) {}

  /// \param t         the numbers ln θ, and ln nugget if a nugget is estimated.
  /// \param gradient  nullptr, or filled with as many derivatives.
  /// \returns  the value; a nugget of at least `floor` keeps K positive definite. +∞ if K is singular all
  ///           the same.
  double operator()(const Eigen::VectorXd& t, Eigen::VectorXd* gradient);

  /// Values at the last call.
  const Eigen::VectorXd& beta() const { return beta_; }      ///< p coefficients of the trend
  double sigma2() const { return sigma2_; }                  ///< with divisor n
  const Eigen::VectorXd& weights() const { return alpha_; }  ///< n, K⁻¹(y − Fβ)
  const Eigen::MatrixXd& scaled_runs() const { return scaled_; }
  /// Errors at the runs, each left out, with lengths kept, and their variances as shares of σ². Works out
  /// K⁻¹.
  void left_out(const Eigen::VectorXd& t, Eigen::VectorXd& error, Eigen::VectorXd& variance);

  const KrigingProblem& problem() const { return problem_; }
  void set_nugget(double share) { problem_.nugget = share; }
  int evaluations() const { return evaluations_; }
  static constexpr double floor = 1e-10;

 private:
  bool decompose(const Eigen::VectorXd& t, bool slopes, double& log_det);
  double leave_one_out(const Eigen::VectorXd& t, double nugget, Eigen::VectorXd* gradient);
  void add_slopes(const Eigen::VectorXd& alpha, double scale, const Eigen::MatrixXd& inverse,
                  Eigen::VectorXd& gradient);
  void left_out_of_inverse(Eigen::VectorXd& error, Eigen::VectorXd& diagonal);
  KrigingProblem problem_;
  Eigen::MatrixXd scaled_, k_, slope_, basis_;  // basis_: L⁻ᵀ times the orthonormal trend
  Eigen::VectorXd alpha_, beta_;
  double sigma2_ = 0;
  int evaluations_ = 0;
};

}  // namespace renth
