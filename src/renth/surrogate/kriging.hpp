// Kriging (Gaussian-process regression) with anisotropic kernels and a polynomial trend.
#pragma once
#include <optional>
#include <renth/numeric/weighted_sums.hpp>
#include <renth/surrogate/kriging_objective.hpp>
#include <renth/surrogate/process.hpp>
#include <renth/terms/terms.hpp>
#include <string>
#include <vector>

namespace renth {

/// Options of a kriging fit; the defaults suit a deterministic solver with tens to some thousand runs.
struct KrigingOptions {
  /// Empty: the likeliest of Gaussian, Matérn 5/2, its product over parameters, and Matérn 3/2 (by the
  /// criterion, if that is another); the Gaussian only if its log-likelihood is larger by two, since it errs
  /// most where the response is not analytic. Over ten plans each of nine published functions the likeliest
  /// was on the whole as good as choosing by cross-validation, and never clearly worse than Matérn 5/2 alone,
  /// as that was by 14 %.
  std::optional<Kernel> kernel;
  /// TERMS that the process varies about; the constant is always among them. More than a constant pays
  /// where the surface tilts over the whole region, or when predicting outside the runs.
  std::string trend = "1";
  /// Leave-one-out resists a kernel that is wrong; likelihood uses the runs better when it is right.
  KrigingCriterion criterion = KrigingCriterion::likelihood;
  bool prior = true;  ///< see KrigingObjective; matters for fewer than about ten runs a parameter
  /// Local optimisations, each from the best of the points not yet tried. More help when the likelihood has
  /// several maxima: few runs, many parameters.
  int starts = 4;
  /// Points at which the criterion is looked at before the first start.
  int screening = 40;
  /// Whether the runs scatter round the surface. `when_needed` estimates a nugget if the study is
  /// noisy or replicates differ; else only if that raises the log-likelihood by more than two. `fixed` takes
  /// `noise_variance`, `replicates` the pure error of repeated runs.
  enum class Nugget { when_needed, none, estimated, fixed, replicates } nugget = Nugget::when_needed;
  double noise_variance = 0;  ///< of `fixed`, in the squared unit of the response
  /// Beyond this many runs, lengths are sought on a random part of them first, from all starts, and then
  /// once on all.
  int part = 400;
  /// Beyond this many runs each is predicted from its nearest ones only (see NearestKriging).
  int most_dense = 3000;
  /// Where the first start begins: ln θ a length, then ln nugget if one is estimated. Empty: the best
  /// screened point. With it, no other start is made.
  std::vector<double> warm_start;
  /// If set, gets the number of likelihoods of each local optimisation; for measuring.
  std::vector<int>* evaluations = nullptr;
};

/// Fits by the criterion, with one correlation length a parameter in units of its span, and one a choice of
/// three or more.
///
/// \throws Error  fewer than two different runs; a response that never varies; NaN; no more runs than terms
///                in the trend; `replicates` without any.
Fit kriging_fit(KrigingOptions options = {});

/// y(x) = f(x)ᵀβ + Z(x), Z Gaussian with covariance σ² k(x, x′); mean and variance are the best linear
/// unbiased prediction (N. Cressie, Statistics for Spatial Data, 1993, equations 3.4.1–3.4.8).
class Kriging final : public Surrogate {
 public:
  struct State : Process {
    double log_likelihood = 0;
    Eigen::MatrixXd runs;     ///< n × f features divided by θ
    Eigen::MatrixXd terms;    ///< n × p, the trend at the runs
    Eigen::VectorXd weights;  ///< n, K⁻¹(y − Fβ)
  };
  explicit Kriging(State state);
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "kriging"; }
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;

  const State& state() const { return state_; }

 private:
  /// L⁻¹k for each scaled point (n × m), and R⁻ᵀ(f − FᵀK⁻¹k) (p × m).
  void whitened(Points points, const Eigen::MatrixXd& scaled, Eigen::MatrixXd& v,
                Eigen::MatrixXd& trend) const;

  State state_;
  WeightedSums sums_;               // of the weights
  Eigen::MatrixXd factor_;          // L, lower
  Eigen::MatrixXd whitened_trend_;  // L⁻¹F
  Eigen::MatrixXd trend_factor_;    // R of L⁻¹F
};

/// Points as features divided by their correlation lengths (m × f).
Eigen::MatrixXd scaled_features(const Space& space, const Eigen::VectorXd& theta, Points points);

/// Terms of a trend, the constant always first.
Terms trend_terms(const Space& space, const std::string& trend);

}  // namespace renth
