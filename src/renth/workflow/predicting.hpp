// Predictions of a study's responses, with what the analyst should know before believing them.
#pragma once
#include <renth/workflow/fitted_study.hpp>

namespace renth {

struct PredictResult {
  Predictions predictions;
  double level = 0.95;  ///< of the intervals
  Notes notes;
};

/// All responses that have a surrogate, at any settings.
PredictResult predict_points(const FittedStudy& fitted, Points points, double level);

}  // namespace renth
