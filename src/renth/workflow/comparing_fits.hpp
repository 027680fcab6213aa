// Two fits of one response side by side: what became of it without a run, with other terms, as another kind.
#pragma once
#include <optional>
#include <renth/workflow/judging.hpp>
#include <string>
#include <vector>

namespace renth {

/// A fit against the current one.
struct FitComparison {
  std::string name;  ///< of the other
  ModelResult other;
  std::vector<std::int64_t> only_current, only_other;  ///< runs that one of them was fitted to
  /// On the runs that both were fitted to, each left out; NaN: there are none.
  int common = 0;
  double rmse_cv_current = 0, rmse_cv_other = 0;
  /// Of what they predict over the region (of a curve: over its points too); `most_at` is where they differ
  /// most.
  double rms_difference = 0, largest_difference = 0;
  Eigen::VectorXd most_at;
  double most_along = 0;  ///< the axis point of it; NaN without an axis

  /// A run as each of them sees it.
  struct Run {
    std::int64_t id = 0;
    double at = 0;  ///< axis point of a curve
    double observed = 0, current = 0, other = 0;
  };
  std::vector<Run> runs;  ///< where they differ most, the farthest first

  /// A coefficient of either, if both are polynomials of the same power of the response.
  struct Term {
    std::string name;
    std::optional<Coefficient> current, other;
  };
  std::vector<Term> terms;
};

/// \param model  the current fit, judged on its data.
/// \throws Error  the study, or runs that the other was fitted to, have changed since.
FitComparison compare_fits(Session& session, const Response& response, const StoredSurrogate& current,
                           const ModelResult& model, const std::string& name, double level);

}  // namespace renth
