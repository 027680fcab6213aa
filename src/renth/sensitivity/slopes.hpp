// Rankings by slopes of a model: over the region, and at one setting.
#pragma once
#include <functional>
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/ranking.hpp>
#include <renth/sensitivity/variance_shares.hpp>

namespace renth {

/// ∂f/∂x_j of the outputs at m points (m × q), natural units: the polynomial through five values a thousandth
/// of the span apart, differentiated, so that its error falls with the fourth power of that; none of them
/// leaves the span. Zero of a choice.
Eigen::MatrixXd slopes(const Space& space, const Evaluate& model, Points points, Eigen::Index parameter);

struct DerivativeOptions {
  int samples = 1024;   ///< points a replicate
  int replicates = 8;   ///< independent scrambles
  double level = 0.95;  ///< of the intervals
};

/// Global measures by derivatives over the box (I. M. Sobol' and S. Kucherenko, Mathematics and Computers in
/// Simulation 79, 2009): ν_j = E(∂f/∂x_j)², in squared units of the response per span, and the bound on the
/// total share that it gives, S_total ≤ ν_j/(π² Var f) (theorem 2 there, with spans of length 1; of levels
/// and choices no such bound is known, and half the mean squared difference of two values stands for it,
/// which is the total itself). `share` is that bound, at most 1; the measures are `slope`, √ν_j, and `bound`,
/// which may be above 1. Intervals are of the scatter over replicates and, where folds are given, of the
/// surrogate (jackknife over their models). Points that the limits forbid are left out, and the bound is then
/// none: a remark says so.
///
/// \param folds  models without one fold each, asked at the first replicate's points; may be empty.
Ranking derivatives_of_model(const Space& space, const Evaluate& whole, const std::vector<Evaluate>& folds,
                             const DerivativeOptions& options, Seed seed);

/// The variance of the difference of the response at two points; NaN: nobody knows.
using DifferenceVariance = std::function<double(const Eigen::VectorXd& a, const Eigen::VectorXd& b)>;

/// What each parameter alone does from one setting, the others held, as far as the limits let it go: `slope`
/// there in natural units, `per_cent`, by how many per cent the response changes for one per cent of the
/// parameter, `at_low` and `at_high`, the response at the ends of its way, `smallest` and `largest` on it,
/// and `swing`, the largest less the smallest value on it, with its interval. `share` is the squared swing
/// over the sum of all. Several outputs count by their mean.
///
/// \param at  d natural values. \throws Error  the setting breaks a limit or lies outside a span.
Ranking local_effects(const Space& space, const Evaluate& model, const DifferenceVariance& variance,
                      const Eigen::VectorXd& at, double level = 0.95);

}  // namespace renth
