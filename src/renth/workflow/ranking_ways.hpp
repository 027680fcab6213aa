// The two ways to rank a response of a study: on its surrogate, and by its runs.
#pragma once
#include <renth/workflow/ranking.hpp>

namespace renth {

/// \param method  shares, derivatives, local or trajectories. \param of  gets what the surrogate misses.
Ranking rank_on_model(Session& session, const Predictor& predictor, int index, const std::string& method,
                      const RankAsked& asked, RankResult::OfResponse& of, Notes& notes);

/// \param method  one that needs no surrogate, or trajectories. \param of  gets the number of runs.
/// \throws Error  the runs tell nothing, with what to do.
Ranking rank_by_runs(Session& session, const std::string& method, const RankAsked& asked,
                     const Response& response, RankResult::OfResponse& of, Notes& notes);

/// Is there a batch whose runs go along paths?
bool has_paths(Session& session);

/// Where `local` looks.
Eigen::VectorXd setting_of(const Session& session, const RankAsked& asked);

}  // namespace renth
