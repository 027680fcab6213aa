// How likely a run is to succeed, as a surrogate.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <vector>

namespace renth {

/// σ(f) = 1/(1 + e^(−f)).
double logistic(double f);

/// Features divided by the correlation length of the parameter that owns each.
Eigen::MatrixXd scaled_by(const Eigen::MatrixXd& features, const std::vector<int>& owner,
                          const Eigen::VectorXd& theta);

/// s²·k of scaled features (n × f), full and symmetric; k is Matérn 5/2.
Eigen::MatrixXd latent_covariance(const Eigen::MatrixXd& scaled, double variance);

/// The probability that a run succeeds, as a Surrogate: `mean` is the probability, `model_variance` its
/// variance; intervals stay within 0 and 1.
///
/// Gaussian-process classification with a logistic likelihood, an anisotropic Matérn 5/2 kernel and the
/// Laplace approximation (C. E. Rasmussen and C. K. I. Williams, Gaussian Processes for Machine Learning,
/// 2006, algorithms 3.1, 3.2 and 5.1: "R & W"). The mean over the latent value is by Gauss–Hermite
/// quadrature with 16 nodes. Far from all runs it returns to the share of runs that succeeded.
class Feasibility final : public Surrogate {
 public:
  struct State {
    Space space;
    Eigen::VectorXd theta;   ///< d correlation lengths, in spans
    double variance = 1;     ///< s² of the latent value
    double prior_mean = 0;   ///< of the latent value: the log odds of success over all runs
    Eigen::MatrixXd runs;    ///< n × f features divided by θ
    Eigen::VectorXd pull;    ///< n, ∇ ln p(y | f) at the mode
    Eigen::VectorXd weight;  ///< n, W at the mode
  };
  explicit Feasibility(State state);
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "feasibility"; }
  void check(Points points) const override { check_points(state_.space, points); }
  Prediction answer(Points points, Want want) const override;
  Intervals intervals(const Prediction& prediction, double level) const override;
  /// Of the probabilities, by their slope in the latent value at its mean.
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  Eigen::MatrixXd correlations(Points points) const;  // m × n, times s²
  State state_;
  Eigen::MatrixXd factor_;  // L of I + W^½ K W^½
};

}  // namespace renth
