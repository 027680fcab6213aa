// What may be fixed before the next round, and what that costs.
#pragma once
#include <renth/base/undefined.hpp>
#include <renth/store/session.hpp>
#include <string>
#include <vector>

namespace renth {

struct RankResult;

/// Parameters by their total shares over all responses that were ranked.
struct Screening {
  double threshold = 0;
  /// Certainly above the threshold for some response; perhaps; certainly below for every one. Names, in the
  /// order of the study.
  std::vector<std::string> keep, undecided, fix;
  struct OfResponse {
    std::string response;
    double q2 = undefined, q2_kept = undefined;  ///< by cross-validation, of all and of those that are kept
  };
  std::vector<OfResponse> responses;  ///< those that have a surrogate of their own
};

/// Sorts the parameters by the intervals of what was ranked, and fits every surrogate again on those that are
/// not to be fixed, on the same folds.
/// \param ranked  by shares on surrogates.
Screening screen_parameters(Session& session, const RankResult& ranked, double threshold);

}  // namespace renth
