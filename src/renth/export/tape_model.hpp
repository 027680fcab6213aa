// A whole model on a tape.
#pragma once
#include <renth/export/tape.hpp>
#include <renth/predict/model.hpp>

namespace renth {

/// What is exported of a model: of each response that it has, derived ones included, what Predictor::predict
/// says. Where a setting does not exist (between levels, no choice, no number) everything is NaN and nothing
/// is inside.
struct ModelOnTape {
  struct OfResponse {
    int response = 0;     ///< its number in the problem
    TapeVector mean, sd;  ///< one value, or one an axis point
  };
  TapeVector inside;  ///< 1 or 0; none if it was not asked for
  std::vector<OfResponse> responses;
};

/// \throws Error  something in the model cannot be put so.
ModelOnTape model_on_tape(Tape& tape, const Model& model);

}  // namespace renth
