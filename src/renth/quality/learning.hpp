// How a surrogate gets better with more runs.
#pragma once
#include <optional>
#include <renth/fit/fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/surrogate/data.hpp>
#include <string>

namespace renth {

struct LearningOptions {
  double target = 0.95;  ///< Q² that is wanted
  double reachable = 1;  ///< what replicates say can be reached
  int repeats = 8;       ///< subsets of each size
  std::vector<double> shares = {0.35, 0.5, 0.65,
                                0.8};  ///< of the runs that are fitted; the others are predicted
};

/// Q² at one number of runs, with the middle 80 % of the subsets.
struct LearningPoint {
  int runs = 0;
  double q2 = 0, low = 0, high = 0;
};

/// What is left to reach falls as m^(−b) with the runs m.
struct LearningCurve {
  static constexpr double level = 0.8;  ///< of the intervals
  std::vector<LearningPoint> points;    ///< the last is the cross-validation of all runs
  double rate = 0;                      ///< b; NaN if nothing can be said
  double reachable = 1;                 ///< by replicates
  double target = 0;                    ///< Q² wanted, of what can be reached
  /// Runs at which the target is likely reached, and an 80 % interval; nothing if that cannot be said.
  std::optional<int> runs_needed, low, high;
  std::string sentence;  ///< what it says, or why it can't say

  /// The law through what all runs reach.
  double q2_at(double runs) const;
};

/// Fits random subsets of the runs, predicts the others, and extends the power law of learning curves (C.
/// Cortes, L. D. Jackel, S. A. Solla, V. Vapnik, J. S. Denker, NIPS 6, 1994). Q² of a subset is taken against
/// the variance over all runs. Intervals come from the repeats, each with a law of its own.
///
/// \param fit  on any runs; hyperparameters are sought anew. \param q2  the cross-validated Q² of all runs.
LearningCurve learning_curve(const Space& space, const Data& data, const Fit& fit, double q2,
                             const LearningOptions& options, Seed seed);

}  // namespace renth
