// Ranking, searching and confirming with the surrogates of a study.
#pragma once
#include <renth/workflow/predicting.hpp>
#include <renth/workflow/running.hpp>

namespace renth {

/// Variance shares of every parameter for each response (all that have a surrogate, or those named).
RankResult rank_responses(Session& session, const std::vector<std::string>& responses,
                          const RankOptions& options, std::optional<Seed> seed);

/// Smallest and largest mean of each scalar response over the settings that can be made.
ExtremesResult extremes_of_responses(Session& session, const std::vector<std::string>& responses,
                                     std::optional<Seed> seed);

/// What `seek` is asked besides the study file.
struct SeekRequest {
  std::string scenario;
  std::vector<std::string> maximise, minimise;
  std::vector<std::pair<std::string, double>> target, weight;
  std::vector<std::string> keep;  ///< conditions on responses and parameters
  Settings hold;
  int proposals = 3;
  std::optional<Seed> seed;
  double level = 0.95;
};

/// Goals given here replace those of the file, never its accept limits, which are hard. Proposals are
/// stored for confirm, tolerance and the like.
/// \throws Error  nothing to aim at; unknown names; a response without a surrogate.
SeekOutcome seek_settings(Session& session, const SeekRequest& request);

struct ConfirmRequest {
  std::vector<int> proposals;  ///< ranks; empty: the best
  std::vector<Settings> at;    ///< instead of proposals
  RunningOptions running;
  double level = 0.95;
};

/// Plans a confirm batch at the settings (or takes up the one that has them), runs it if the study has a
/// solver, and compares. \throws Error  nothing was sought yet; an unknown rank.
ConfirmResult confirm_settings(Session& session, const ConfirmRequest& request);

}  // namespace renth
