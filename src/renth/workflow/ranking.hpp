// Which parameters matter, by the surrogates of a study.
#pragma once
#include <renth/base/undefined.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/quality.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/workflow/fitted_study.hpp>

namespace renth {

struct RankResult {
  struct OfResponse {
    std::string response, basis = "surrogate";
    Ranking ranking;
    Verdict verdict = Verdict::unfit;
    double uncaptured = undefined;  ///< what the surrogate misses of the variance; NaN of a derived response
  };
  std::vector<OfResponse> responses;
  double level = 0.95;  ///< of the intervals
  Notes notes;
};

/// Variance shares of every parameter for each response (all that have a surrogate, or those named).
RankResult rank_responses(Session& session, const std::vector<std::string>& responses,
                          const RankOptions& options, std::optional<Seed> seed);

}  // namespace renth
