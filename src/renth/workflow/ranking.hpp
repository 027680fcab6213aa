// Which parameters matter: by the surrogates of a study, or by its runs alone.
#pragma once
#include <optional>
#include <renth/base/undefined.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/quality.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <renth/workflow/screening.hpp>

namespace renth {

/// What is to be ranked, and how.
struct RankAsked {
  std::string method;  ///< of rank_methods(); empty: shares where a surrogate exists, else effects
  std::vector<std::string> responses;  ///< empty: all that can be ranked
  RankOptions options;                 ///< samples, level
  std::optional<Eigen::VectorXd> at;   ///< the setting of `local` and of scatter; none: nominal
  std::optional<Seed> seed;            ///< none: the study's
  std::optional<double> screen;        ///< also say what may be fixed at this share
  bool under_scatter = false;          ///< beside shares over the region: of what production makes of `at`
};

struct RankResult {
  struct OfResponse {
    std::string response, basis = "surrogate";  ///< or "runs"
    Ranking ranking;
    std::optional<Ranking> scatter;  ///< shares of the variance in production
    std::optional<Verdict> verdict;  ///< of the surrogate; none by runs
    double uncaptured = undefined;   ///< what the surrogate misses of the variance; NaN of a derived response
    int runs = 0;                    ///< behind a ranking by runs
  };
  std::vector<OfResponse> responses;
  std::optional<Screening> screen;
  Eigen::VectorXd at;   ///< of `local` and of scatter
  double level = 0.95;  ///< of the intervals
  Notes notes;
};

/// The parameters so that those that matter most to the same response stand together, in the order of the
/// responses, the largest share first.
std::vector<Eigen::Index> parameters_by_structure(const RankResult& ranked, Eigen::Index parameters);

/// A way to rank by name.
struct RankMethod {
  std::string name, summary;
  bool by_runs = false;  ///< needs no surrogate
};
const std::vector<RankMethod>& rank_methods();

/// Ranks the parameters for each response.
/// \throws Error  an unknown method or response; a response named that has no surrogate, or no runs that tell
///                anything.
RankResult rank_responses(Session& session, const RankAsked& asked);

}  // namespace renth
