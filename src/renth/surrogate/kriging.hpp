// Kriging (Gaussian-process regression) with an anisotropic Matérn 5/2 kernel.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <vector>

namespace renth {

/// Options of a kriging fit; the defaults suit a deterministic solver with tens to a thousand runs.
struct KrigingOptions {
  /// Local optimisations of the likelihood, each from the best of the points not yet tried. More
  /// help when the likelihood has several maxima: few runs, many parameters.
  int starts = 3;
  /// Points at which the likelihood is looked at before the first start.
  int screening = 24;
  /// Whether the runs scatter round the surface. `when_needed` estimates a nugget if the study is
  /// noisy or replicates differ; else only if that raises the log-likelihood by more than two.
  enum class Nugget { when_needed, none, estimated } nugget = Nugget::when_needed;
  /// Where the first start begins: ln θ a parameter (d numbers), then ln nugget if one is
  /// estimated. Empty: the best screened point. With it, one further start suffices.
  std::vector<double> warm_start;
  /// If set, gets the number of likelihoods of each local optimisation; for measuring.
  std::vector<int>* evaluations = nullptr;
};

/// Fits by maximum likelihood (see KrigingLikelihood), with constant trend and one correlation
/// length θ a parameter, in units of its span; choices have one each.
///
/// \throws Error  fewer than two different runs; a response that never varies; NaN.
Fit kriging_fit(KrigingOptions options = {});

/// y(x) = μ + Z(x), Z Gaussian with covariance σ² k(x, x′); mean and variance are the best linear
/// unbiased prediction (N. Cressie, Statistics for Spatial Data, 1993, equations 3.2.12–3.2.16).
class Kriging final : public Surrogate {
 public:
  struct State {
    Space space;
    Eigen::VectorXd theta;         ///< d correlation lengths, in spans
    double nugget = 0;             ///< noise variance as a share of σ²
    bool nugget_is_noise = false;  ///< else it only keeps the matrix well conditioned
    double mean = 0, sigma2 = 0;
    double log_likelihood = 0;
    Eigen::MatrixXd runs;     ///< n × f features divided by θ
    Eigen::VectorXd weights;  ///< n, K⁻¹(y − μ)
  };
  explicit Kriging(State state);
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "kriging"; }
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;

  const State& state() const { return state_; }
  /// Where this fit ended, as KrigingOptions::warm_start takes it.
  std::vector<double> warm_start() const;

 private:
  Eigen::MatrixXd scaled(Points points) const;
  /// L⁻¹k for each scaled point (n × m), and 1 − 1ᵀK⁻¹k (m).
  void whitened(const Eigen::MatrixXd& scaled, Eigen::MatrixXd& v, Eigen::VectorXd& trend) const;

  State state_;
  Eigen::MatrixXd factor_;        // L, lower
  Eigen::VectorXd whitened_one_;  // L⁻¹1
};

}  // namespace renth
