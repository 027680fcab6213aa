// Which parameters matter, by the surrogates of a study.
#pragma once
#include <renth/workflow/predicting.hpp>

namespace renth {

/// Variance shares of every parameter for each response (all that have a surrogate, or those named).
RankResult rank_responses(Session& session, const std::vector<std::string>& responses,
                          const RankOptions& options, std::optional<Seed> seed);

}  // namespace renth
