// Kriging (Gaussian-process regression) with anisotropic kernels and a polynomial trend.
#pragma once
#include <renth/numeric/lazily.hpp>
#include <renth/numeric/weighted_sums.hpp>
#include <renth/surrogate/process.hpp>
#include <renth/terms/terms.hpp>
#include <string>
#include <vector>

namespace renth {

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
  void check(Points points) const override { check_points(state_.space, points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;

  const State& state() const { return state_; }
  /// What variances need and means do not.
  struct Factors {
    Eigen::MatrixXd factor;          ///< L, lower
    Eigen::MatrixXd whitened_trend;  ///< L⁻¹F
    Eigen::MatrixXd trend_factor;    ///< R of L⁻¹F
  };
  const Factors& factors() const;  // when first needed

 private:
  /// L⁻¹k for each scaled point (n × m), and R⁻ᵀ(f − FᵀK⁻¹k) (p × m).
  void whitened(Points points, const Eigen::MatrixXd& scaled, Eigen::MatrixXd& v,
                Eigen::MatrixXd& trend) const;
  Eigen::VectorXd variances(Points points, const Eigen::MatrixXd& scaled) const;
  Eigen::MatrixXd gradients(Points points, const Eigen::MatrixXd& scaled) const;

  State state_;
  WeightedSums sums_;  // of the weights
  Lazily<Factors> factors_;
};

/// Features (m × f) divided by their correlation lengths.
Eigen::MatrixXd scaled(const Space& space, const Eigen::VectorXd& theta, Eigen::MatrixXd features);

/// Points as features divided by their correlation lengths (m × f).
Eigen::MatrixXd scaled_features(const Space& space, const Eigen::VectorXd& theta, Points points);

/// Terms of a trend, the constant always first.
Terms trend_terms(const Space& space, const std::string& trend);

}  // namespace renth
