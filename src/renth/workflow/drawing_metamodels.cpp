#include <algorithm>
#include <cmath>
#include <renth/figure/metamodel_figures.hpp>
#include <renth/space/features.hpp>
#include <renth/workflow/drawing_parts.hpp>
#include <renth/workflow/fitting.hpp>

namespace renth {
namespace {

/// The one response of a figure that is fitted itself: a number or a curve.
Response one_fitted(Session& session, const DrawingOptions& options, bool curve) {
  if (options.responses.size() > 1) throw Error("this figure shows one response", "--response", "name one");
  for (const Response& r : chosen_responses(session.study, options.responses, false)) {
    if ((r.axis >= 0) == curve) return r;
    if (!options.responses.empty())
      throw Error(r.name + (curve ? " is no curve" : " is a curve"), "--response " + r.name,
                  curve ? "draw slices shows it" : "draw curve shows it");
  }
  throw Error(curve ? "no response is a curve" : "every response is a curve", "draw " + options.figure,
              curve ? "give a response along = AXIS in study.toml" : "use draw curve");
}

}  // namespace

Gnuplot figure_learning(Session& session, const DrawingOptions& options, Notes& notes) {
  if (options.responses.size() > 1) throw Error("this figure shows one response", "--response", "name one");
  TrustOptions trust;
  trust.responses = {chosen_responses(session.study, options.responses, false).front().name};
  trust.learning = TrustOptions::Learning::always;
  trust.target = options.target;
  const TrustResult result = trust_responses(session, trust);
  notes = result.notes;
  const LearningCurve& curve = *result.responses[0].learning;
  if (curve.points.empty())
    throw Error(curve.sentence, "draw learning", "add runs: renth plan extend, renth run, renth fit");
  return draw_learning(session.study, session.study.responses[session.study.response(trust.responses[0])],
                       curve);
}

Gnuplot figure_curve(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const Response response = one_fitted(session, options, true);
  const StoredSurrogate stored = need_surrogate(session, response, notes);
  note_verdict(session, response, stored, notes);
  const Eigen::VectorXd at = setting_held(session, options);
  const Eigen::MatrixXd point = at.transpose();
  const Prediction p = stored.surrogate->predict(point, {.variance = true});
  const Intervals bounds = stored.surrogate->intervals(p, options.level);
  CurveAt curve{p.mean.row(0), bounds.confidence_low.row(0), bounds.confidence_high.row(0),
                bounds.prediction_low.row(0), bounds.prediction_high.row(0)};
  curve.inside = coverage_of(session).inside(at);
  const RunData data = collect_data(session, response, uses_fitted(stored));
  if (data.data.size() > 0) {
    Eigen::Index nearest = 0;
    const Eigen::MatrixXd runs = features(study.space, data.data.inputs);
    curve.nearest_distance = std::sqrt(
        (runs.rowwise() - features(study.space, point).row(0)).rowwise().squaredNorm().minCoeff(&nearest));
    curve.nearest = data.data.outputs.row(nearest);
    curve.nearest_run = data.ids[std::size_t(nearest)];
  }
  const ModelResult model = judge_surrogate(session, response, stored, data, options.level);
  return draw_curve(study, response, at, curve, model.quality.along, options.level);
}

Gnuplot figure_error_map(Session& session, const DrawingOptions& options, Notes& notes) {
  const Response response = one_fitted(session, options, false);
  DrawingOptions named = options;
  named.responses = {response.name};
  const StoredSurrogate stored = need_surrogate(session, response, notes);
  note_verdict(session, response, stored, notes);
  const auto [x, y] = two_axes(session, named, session.study.response(response.name), notes);
  const RunData data = collect_data(session, response, uses_fitted(stored), weights_fitted(stored));
  if (data.data.size() != stored.cv.predicted.rows())
    throw Error("runs were added or changed since " + response.name + " was fitted", "draw error-map",
                "renth fit --response " + response.name);
  const Eigen::VectorXd errors = stored.cv.predicted.col(0) - data.data.outputs.col(0);
  return draw_error_map(
      session.study, response, x, y, setting_held(session, options),
      [&](Points points) {
        const Prediction p = predict_parallel(*stored.surrogate, points, {.variance = true});
        return Eigen::VectorXd((p.model_variance + p.noise_variance).col(0).cwiseMax(0).cwiseSqrt());
      },
      data.data.inputs, data.ids, errors);
}

}  // namespace renth
