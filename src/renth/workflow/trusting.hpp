// How far each surrogate of a study can be believed.
#pragma once
#include <optional>
#include <renth/quality/learning.hpp>
#include <renth/workflow/comparing_fits.hpp>
#include <renth/workflow/judging.hpp>
#include <string>
#include <vector>

namespace renth {

/// One run as a surrogate sees it; curves give one row an axis point.
struct ResidualRow {
  std::int64_t id = 0;
  std::string batch;
  double at = 0;  ///< axis point of a curve
  double observed = 0, fitted = 0;
  double cross_validated = 0, error_percent = 0;  ///< NaN of a run without which the model cannot be fitted
};
struct TrustResult {
  struct OfResponse {
    ModelResult model;
    std::vector<ResidualRow> residuals;  ///< largest error first
    std::vector<ResidualRow> check;      ///< check runs; fitted is the prediction, cross_validated the same
    double coverage = 0;                 ///< share of runs inside their intervals, each left out
    double calibrated_check = 0;         ///< share of check runs inside calibrated intervals; NaN without
    std::optional<LearningCurve> learning;
    std::optional<FitComparison> against;
  };
  std::vector<OfResponse> responses;
  double level = 0.95;  ///< of the intervals
  Notes notes;
};

struct TrustOptions {
  std::vector<std::string> responses;  ///< empty: all
  double level = 0.95;
  double target = 0.95;  ///< Q² of the learning curve
  /// Whether the learning curve is worked out: asked for, or with up to 150 runs.
  enum class Learning { when_quick, always, never } learning = Learning::when_quick;
  std::string against;  ///< the name of a fit to compare with; empty: none
};

/// Quality, verdict and residuals of the current surrogates. \throws Error  one is missing.
TrustResult trust_responses(Session& session, const TrustOptions& options);

}  // namespace renth
