// Searching the surrogates of a study.
#pragma once
#include <map>
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/search/seek.hpp>
#include <renth/workflow/fitted_study.hpp>

namespace renth {

struct SeekOutcome {
  SeekResult result;
  std::vector<int> goal_response;                   ///< response of each goal
  Predictions predicted;                            ///< a row a proposal
  std::vector<std::map<std::string, bool>> within;  ///< a proposal: response within its hard limits
  std::vector<double> failure_risk;                 ///< of each proposal, learned; NaN: no run has failed yet
  double level = 0.95;                              ///< of the intervals
  Notes notes;
};

/// What `seek` is asked besides the study file.
struct SeekRequest {
  std::string scenario;
  std::vector<std::string> maximise, minimise;
  std::vector<std::pair<std::string, double>> target, weight;
  std::vector<std::string> keep;  ///< conditions on responses and parameters
  Settings hold;
  bool allow_failing = false;  ///< propose also where the solver is likely to fail
  int proposals = 3;
  bool keep_proposals = true;  ///< store them, for confirm and the like
  std::optional<Seed> seed;
  double level = 0.95;
};

/// The chance of failing that a proposal may have, where a share of all runs failed: a quarter, or half as
/// much again as that share if that is more (where failures come from nowhere, no place is better than
/// another).
double most_failure_risk(double share);

/// Goals given here replace those of the file, never its accept limits, which are hard. Proposals are
/// stored for confirm, tolerance and the like.
/// \throws Error  nothing to aim at; unknown names; a response without a surrogate.
SeekOutcome seek_settings(Session& session, const SeekRequest& request);

}  // namespace renth
