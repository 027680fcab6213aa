// Searching the surrogates for the settings wanted.
#pragma once
#include <limits>
#include <renth/search/maximise.hpp>
#include <string>
#include <vector>

namespace renth {

/// Means of r scalar responses at m points (m × r), derived ones included; must be re-entrant.
using Responses = std::function<Eigen::MatrixXd(Points)>;

/// What is wanted of one response.
struct Goal {
  enum class Aim { maximise, minimise, target };
  int response = 0;  ///< column of Responses
  Aim aim = Aim::maximise;
  double target = 0;
  double weight = 1;
  /// Specification limits; where one is missing, the ramp begins at the extreme over the region.
  double accept_min = -std::numeric_limits<double>::infinity();
  double accept_max = std::numeric_limits<double>::infinity();
};

/// Something that must hold, as a margin over a scale, so that violations can be compared.
struct Constraint {
  std::string text;
  /// Margin from a point (d natural values) and its r responses; ≥ 0 holds.
  std::function<double(const double* point, const double* responses)> margin;
  double scale = 1;  ///< a typical size of the margin
};

/// A desirability of one response: 0 at and beyond `zero`, 1 at and beyond `one`; a target has a
/// ramp on either side (G. Derringer and R. Suich, J. Quality Technology 12, 1980, s = t = 1).
struct Ramp {
  Goal::Aim aim = Goal::Aim::maximise;
  double zero = 0, one = 1;              ///< maximise and minimise
  double low = 0, target = 0, high = 1;  ///< target
  double operator()(double value) const;
  /// How far `value` is outside the ramp, as a share of its width; 0 inside.
  double outside(double value) const;
};

struct SeekProblem {
  Space space;
  Responses responses;
  std::vector<Goal> goals;
  std::vector<Constraint> constraints;
};

struct SeekOptions {
  int proposals = 3;
  /// How far proposals are from one another, in the unit cube (two choices are 1 apart): alternatives
  /// that differ by a hair are none.
  double apart = 0.25;
  MaximiseOptions search;
};

struct Proposal {
  Eigen::VectorXd point;
  Eigen::VectorXd responses;    ///< r means
  double desirability = 0;      ///< weighted geometric mean
  std::vector<double> of_goal;  ///< desirability of each goal
  std::vector<std::string> limited_by;
  bool feasible = false;
};

struct SeekResult {
  bool feasible = false;            ///< some proposal holds every constraint and limit
  std::vector<Proposal> proposals;  ///< best first; if nothing is feasible, the least violating
  std::vector<Ramp> ramps;          ///< one a goal
};

/// The settings with the largest overall desirability, the weighted geometric mean of the goals'
/// ramps; without goals, any settings that hold the constraints best. Each further proposal is
/// the best that is at least `apart` away from those before; there may be fewer than asked for.
SeekResult seek(const SeekProblem& problem, const SeekOptions& options, Seed seed);

/// Smallest and largest value of one response over the region, and where.
struct Extremes {
  Maximum smallest, largest;
};
Extremes extremes(const Space& space, const Responses& responses, int response,
                  const MaximiseOptions& options, Seed seed);

}  // namespace renth
