// Fitting surrogates to the runs of a study.
#pragma once
#include <renth/workflow/fit_asked.hpp>
#include <renth/workflow/judging.hpp>

namespace renth {

struct FitResult {
  std::vector<ModelResult> models;
  bool in_full = false;  ///< the table shows the statistics of every polynomial, not only of a single one
  double level = 0.95;   ///< of the intervals
  Notes notes;
};

/// Fits each response and stores the result as its current surrogate.
/// \throws Error  no response can be fitted. Single ones that can't are told in a note.
FitResult fit_responses(Session& session, const FittingOptions& options);

}  // namespace renth
