// New runs where the surrogates know least.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>
#include <renth/store/session.hpp>

namespace renth {

/// `runs` points (0: a third of the suggestion) one after another where the variance of the current
/// surrogates, each as a share of its own mean variance and averaged over the responses, is largest given the
/// points chosen before. Candidates are 1 500 settable points of the region; the variance that a new run
/// leaves follows from the joint covariance alone, so that no response is needed. Origin `fill`. \throws
/// Error  no surrogate has been fitted.
Plan plan_uncertain(Session& session, int runs, Seed seed, Notes& notes);

/// The joint covariances of the current surrogates of some responses at points (an m × m matrix an output),
/// each as a share of its mean variance over the points; `used` receives their names.
std::vector<Eigen::MatrixXd> joint_covariances(Session& session, const std::vector<Response>& responses,
                                               const Eigen::MatrixXd& points, std::string& used,
                                               Notes& notes);

}  // namespace renth
