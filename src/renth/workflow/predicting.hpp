// Predictions of a model's responses, with what the analyst should know before believing them.
#pragma once
#include <functional>
#include <renth/base/notes.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <string>

namespace renth {

struct PredictResult {
  Predictions predictions;
  double level = 0.95;  ///< of the intervals
  Notes notes;
};

/// All responses that have a surrogate, at any settings.
PredictResult predict_points(const FittedStudy& fitted, Points points, double level);

/// The same of a model, with or without its study: the notes say of which surrogates it was said that they
/// are weak or unfit.
PredictResult predict_points(const Predictor& predictor, Points points, double level);

/// The same of any number of points, a part of them at a time, so that memory does not grow with them.
/// \param take  is given the parts in order.
/// \returns     the notes on all.
Notes predict_in_parts(const Predictor& predictor, Points points, double level,
                       const std::function<void(const Predictions&)>& take);

}  // namespace renth
