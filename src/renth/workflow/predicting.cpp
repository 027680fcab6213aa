#include <fmt/format.h>

#include <algorithm>
#include <renth/workflow/predicting.hpp>
#include <set>
#include <utility>

namespace renth {
namespace {

/// What is to be said of predictions as they go by.
class Watch {
 public:
  explicit Watch(const Problem& problem) : problem_(problem) {}

  void see(const Predictions& p) {
    outside_ += std::count(p.inside.begin(), p.inside.end(), char(false));
    all_ += p.size();
    for (const ResponsePrediction& r : p.responses)
      if (r.mean.col(0).hasNaN()) undefined_.insert(r.response);
  }

  void tell(Notes& notes) const {
    for (const int response : undefined_)
      add_note(
          notes, "undefined",
          fmt::format("{} is undefined at some points (a division by zero, or the root of a negative number)",
                      problem_.responses[std::size_t(response)].name));
    if (outside_ > 0)
      add_note(
          notes, "outside",
          fmt::format(
              "{} of {} points lie outside the region that the runs cover: there the surrogate is guessing",
              outside_, all_));
  }

 private:
  const Problem& problem_;
  std::int64_t outside_ = 0, all_ = 0;
  std::set<int> undefined_;
};

}  // namespace

PredictResult predict_points(const FittedStudy& fitted, Points points, double level) {
  PredictResult out = predict_points(fitted.predictor(), points, level);
  Notes notes = fitted.notes();
  add_notes(notes, out.notes);
  out.notes = std::move(notes);
  return out;
}

PredictResult predict_points(const Predictor& predictor, Points points, double level) {
  PredictResult out{predictor.predict(points, level), level, {}};
  Watch watch(predictor.problem());
  watch.see(out.predictions);
  note_weak_parts(predictor.model(), out.notes);
  watch.tell(out.notes);
  return out;
}

Notes predict_in_parts(const Predictor& predictor, Points points, double level,
                       const std::function<void(const Predictions&)>& take) {
  constexpr Eigen::Index part = 65'536;
  Watch watch(predictor.problem());
  for (Eigen::Index at = 0; at < points.rows(); at += part) {
    const Predictions p = predictor.predict(points.middleRows(at, std::min(part, points.rows() - at)), level);
    watch.see(p);
    take(p);
  }
  Notes notes;
  note_weak_parts(predictor.model(), notes);
  watch.tell(notes);
  return notes;
}

}  // namespace renth
