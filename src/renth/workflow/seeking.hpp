// Searching the surrogates of a study.
#pragma once
#include <algorithm>
#include <map>
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/search/conflicts.hpp>
#include <renth/search/front.hpp>
#include <renth/search/near_best.hpp>
#include <renth/search/sought.hpp>
#include <renth/workflow/fitted_study.hpp>

namespace renth {

/// One round of seek, confirm, fit again: goals by response.
struct SeekRound {
  int round = 0;
  std::int64_t run = 0;
  Eigen::VectorXd point;
  std::map<std::string, double> predicted, computed;  ///< computed: empty until it is
};

/// What was found for one set of goals.
struct SeekOutcome {
  std::string scenario;  ///< empty: none
  SeekResult result;
  std::vector<Goal> goals;
  bool is_goal(int response) const {
    return std::any_of(goals.begin(), goals.end(), [&](const Goal& g) { return g.response == response; });
  }
  Predictions predicted;                            ///< a row a proposal
  std::vector<std::map<std::string, bool>> within;  ///< a proposal: response within its hard limits
  /// A proposal: the probability that a run there is within its hard limits, of responses that have some.
  std::vector<std::map<std::string, double>> probability;
  std::vector<double> yield;         ///< of each proposal under scatter; NaN: no scatter, or no accept limits
  std::vector<double> failure_risk;  ///< of each proposal, learned; NaN: no run has failed yet
  std::optional<NearBest>
      near_best;             ///< of the best proposal; nothing if it was not asked for, or nothing holds
  std::optional<Loss> loss;  ///< what of it may be lost; nothing: what is not significant
  std::string then;          ///< what was sought among those as good, in words; empty: nothing
  std::vector<Conflict> conflicts;  ///< if nothing is feasible
  Predictions singly;               ///< a row a goal: what it alone would reach (SeekResult::singly)
  std::vector<FrontPoint> front;
  std::vector<SeekRound> history;  ///< of seek_and_refine()
  std::string verdict;             ///< of that, in words; empty: it was not asked for
  Predictions front_predicted;     ///< a row a point of the front
  double level = 0.95;             ///< of the intervals
  Notes notes;
};

/// Several scenarios on the same surrogates, side by side.
struct SeekAnswer {
  std::vector<SeekOutcome> of;  ///< at least one
  Notes notes;                  ///< of all of them
};

/// What `seek` is asked besides the study file.
struct SeekRequest : SeekWishes {
  std::vector<std::string> scenarios;  ///< empty: the goals of the file
  bool robust = false;                 ///< the scatter of the settings is part of what is sought
  bool allow_failing = false;          ///< propose also where the solver is likely to fail
  double probability = 0;              ///< with which limits on responses must hold; 0: by the means
  int proposals = 3;
  bool near_best = true;                     ///< look for the region as good as the best
  std::optional<Loss> loss;                  ///< that it may have; nothing: what is not significant
  std::string then_maximise, then_minimise;  ///< a response to be sought among those as good as the best
  bool front = false;
  int front_points = 50;
  bool keep_proposals = true;  ///< store them, for confirm and the like
  std::optional<Seed> seed;
  double level = 0.95;
};

/// The chance of failing that a proposal may have, where a share of all runs failed: a quarter, or half as
/// much again as that share if that is more (where failures come from nowhere, no place is better than
/// another).
double most_failure_risk(double share);

/// Goals given here replace those of the file and of scenarios, never accept limits, which are hard.
/// Proposals are stored for confirm, tolerance and the like. \throws Error  nothing to aim at; unknown names;
/// a response without a surrogate; contradictions.
SeekAnswer seek_settings(Session& session, const SeekRequest& request);

}  // namespace renth
