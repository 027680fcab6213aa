// Searching the surrogates for the settings wanted.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/problem/desirability.hpp>
#include <renth/search/maximise.hpp>
#include <string>
#include <vector>

namespace renth {

/// Means of r scalar responses at m points (m × r), derived ones included; must be re-entrant.
using Responses = std::function<Eigen::MatrixXd(Points)>;

/// Something that must hold, as a margin over a scale, so that violations can be compared.
struct Constraint {
  std::string text;
  /// Margin from a point (d natural values) and its r responses; ≥ 0 holds.
  std::function<double(const double* point, const double* responses)> margin;
  double scale = 1;              ///< a typical size of the margin
  double no_difference = 0.005;  ///< of the scale: a change of the margin that nobody minds; ∞: any
};

struct SeekProblem {
  Space space;
  Responses responses;
  std::vector<Goal> goals;
  std::vector<Constraint> constraints;
};

struct SeekResult;

struct SeekOptions {
  int proposals = 3;
  /// How far proposals are from one another, in the unit cube (two choices are 1 apart): alternatives
  /// that differ by a hair are none.
  double apart = 0.25;
  MaximiseOptions search;
  /// What was found before, of the same surrogates, constraints, holds and goals with other weights: what
  /// weights do not change is taken from it, and the search starts from where it ended. It outlives the call.
  const SeekResult* known = nullptr;
};

/// What it would bring if a limit gave way, the rest sought anew: change of a response per unit of the
/// limit's margin or of the parameter whose span ends.
struct Give {
  std::string limit;
  int response = 0;
  double per_unit = 0;
};

struct Proposal {
  Eigen::VectorXd point;
  Eigen::VectorXd responses;            ///< r means
  double desirability = 0;              ///< weighted geometric mean
  std::vector<double> of_goal;          ///< desirability of each goal
  std::vector<std::string> limited_by;  ///< what binds: see binding_limits()
  std::vector<Give> gives;              ///< of what binds, for each goal that would change
  std::vector<Eigen::Index> free;       ///< parameters that make no difference there; they are at nominal
  bool feasible = false;
};

/// What one goal alone would reach, and what the others become there.
struct Single {
  int goal = 0;  ///< its number among the goals
  Eigen::VectorXd point, responses;
};

struct SeekResult {
  bool feasible = false;                     ///< some proposal holds every constraint and limit
  std::vector<Proposal> proposals;           ///< best first; if nothing is feasible, the least violating
  std::vector<Desirability> desirabilities;  ///< one a goal
  std::vector<Single> singly;                ///< of several goals, one each
  std::vector<Eigen::Index> idle;            ///< parameters that make no difference anywhere
  Eigen::MatrixXd ends;  ///< of all searches, and some of the region: see SeekOptions::known
};

/// The settings with the largest overall desirability, the weighted geometric mean of the goals'
/// desirabilities; without goals, any settings that hold the constraints best. Each further proposal is
/// the best that is at least `apart` away from those before, in what makes a difference there; there may be
/// fewer than asked for.
SeekResult seek(const SeekProblem& problem, const SeekOptions& options, Seed seed);

/// Smallest and largest value of one response over the region, and where.
struct Extremes {
  Maximum smallest, largest;
};
Extremes extremes(const Space& space, const Responses& responses, int response,
                  const MaximiseOptions& options, Seed seed);

}  // namespace renth
