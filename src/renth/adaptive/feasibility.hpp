// How likely a run is to succeed, learned from those that did and those that failed.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <vector>

namespace renth {

struct FeasibilityOptions {
  /// Runs used at most; the cost grows with their cube. Of more, all failed ones up to half of this and a
  /// random choice of the others.
  int most_runs = 600;
};

/// −ln of the posterior of the hyperparameters, up to a constant: the Laplace approximation to the
/// evidence (R & W equation 3.32) and a prior that keeps perfectly separable runs from an infinite slope, for
/// which the Laplace approximation is too timid far from the border: ln θ ~ N(ln 0.7, 1.2²) in spans,
/// ln s² ~ N(ln 5, 0.7²).
///
/// \param features  n × f (see features()). \param owner  the parameter of each feature.
/// \param y         n, +1 done and −1 failed. \param t  ln θ a parameter, then ln s².
/// \param gradient  nullptr, or filled (R & W algorithm 5.1).
double feasibility_objective(const Eigen::MatrixXd& features, const std::vector<int>& owner,
                             const Eigen::VectorXd& y, double prior_mean, const Eigen::VectorXd& t,
                             Eigen::VectorXd* gradient);

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
  Prediction predict(Points points, Want want = {}) const override;
  Intervals intervals(const Prediction& prediction, double level) const override;
  /// Of the probabilities, by their slope in the latent value at its mean.
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  Eigen::MatrixXd correlations(Points points) const;  // m × n, times s²
  State state_;
  Eigen::MatrixXd factor_;  // L of I + W^½ K W^½
};

/// \param inputs  n × d, natural units. \param failed  n.
/// \throws Error  no failed or no done run: there is nothing to learn.
std::unique_ptr<const Surrogate> feasibility_fit(const Space& space, Points inputs,
                                                 const std::vector<bool>& failed, Seed seed,
                                                 const FeasibilityOptions& options = {});

}  // namespace renth
