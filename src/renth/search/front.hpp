// The trade-off between goals: settings of which none is better in every goal.
#pragma once
#include <renth/search/seek.hpp>

namespace renth {

struct FrontPoint {
  Eigen::VectorXd point, responses;
  Eigen::VectorXd objectives;  ///< one a goal, smaller is better: −value, value, or distance from the target
  bool knee = false;           ///< farthest from the straight line or plane between the ends
};

struct FrontOptions {
  int points = 50;
  MaximiseOptions search;  ///< what is held, and whether steps count
};

/// The non-dominated front of two to five goals, limits and constraints obeyed, evenly covered; ordered by
/// the first goal. Fewer points where there are fewer.
///
/// The non-dominated sorting algorithm with elitism (K. Deb, A. Pratap, S. Agarwal, T. Meyarivan, IEEE Trans.
/// Evolutionary Computation 6, 2002, constraints by their rule) from a Sobol' sample and the best of each
/// goal; everything not dominated is then driven onto the front along a direction (A. Pascoletti and P.
/// Serafini, Journal of Optimization Theory and Applications 42, 1984) by quadratic programming, gaps are
/// filled from their ends, and what is asked for is taken so that it lies evenly.
///
/// \throws Error  fewer than two goals or more than five; nothing holds every constraint.
std::vector<FrontPoint> front(const SeekProblem& problem, const FrontOptions& options, Seed seed);

/// The volume that objectives (n × g, smaller is better) dominate up to a reference point. Exact, by slicing
/// along the last objective.
double hypervolume(const Eigen::MatrixXd& objectives, const Eigen::VectorXd& reference);

}  // namespace renth
