// Learning how likely a run is to succeed from those that did and those that failed.
#pragma once
#include <memory>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/feasibility.hpp>
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

/// The hyperparameters with the largest posterior, from one start.
///
/// \param inputs  n × d, natural units. \param failed  n.
/// \throws Error  no failed or no done run: there is nothing to learn.
std::unique_ptr<const Surrogate> feasibility_fit(const Space& space, Points inputs,
                                                 const std::vector<bool>& failed, Seed seed,
                                                 const FeasibilityOptions& options = {});

}  // namespace renth
