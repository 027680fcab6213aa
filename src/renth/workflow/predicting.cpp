#include <fmt/format.h>

#include <algorithm>
#include <renth/workflow/predicting.hpp>

namespace renth {

PredictResult predict_points(const FittedStudy& fitted, Points points, double level) {
  PredictResult out{fitted.predictor().predict(points, level), level, fitted.notes()};
  for (const ResponsePrediction& r : out.predictions.responses) {
    fitted.note_verdicts(r.response, out.notes);
    if (r.mean.col(0).hasNaN())
      add_note(
          out.notes, "undefined",
          fmt::format("{} is undefined at some points (a division by zero, or the root of a negative number)",
                      fitted.model().problem.responses[std::size_t(r.response)].name));
  }
  const auto& inside = out.predictions.inside;
  const auto outside = std::count(inside.begin(), inside.end(), char(false));
  if (outside > 0)
    add_note(
        out.notes, "outside",
        fmt::format(
            "{} of {} points lie outside the region that the runs cover: there the surrogate is guessing",
            outside, inside.size()));
  return out;
}

}  // namespace renth
