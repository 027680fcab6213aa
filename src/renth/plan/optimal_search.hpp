// The search for an optimal plan from many starts.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/exchange.hpp>

namespace renth {

/// Settable points of the region for problems with limits: some anywhere, more pushed to the edge
/// coordinate by coordinate, where optimal runs lie.
Eigen::MatrixXd edge_points(const Space& space, Seed seed);

/// Short searches from many starts; the two best go on for as long as all starts together have had. How
/// often each is perturbed is bounded so that cost stays in seconds.
ExchangeResult search_optimum(const ExchangeProblem& problem, int restarts, Seed seed);

/// The same where the largest variance over the region counts, of one model.
ExchangeResult search_minimax(const ExchangeProblem& problem, int restarts, Seed seed);

}  // namespace renth
