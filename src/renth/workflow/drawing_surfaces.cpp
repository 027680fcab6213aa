#include <fmt/format.h>

#include <algorithm>
#include <numeric>
#include <renth/workflow/drawing_parts.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The one scalar response of a figure: the one named, or the first that has a surrogate.
int one_response(const Study& study, const Predictor& predictor, const std::vector<std::string>& names) {
  if (names.size() > 1) throw Error("this figure shows one response", "--response", "name one");
  for (const Response& r : chosen_responses(study, names, true)) {
    const int index = study.response(r.name);
    if (r.axis < 0 && predictor.has(index)) return index;
    if (!names.empty())
      throw Error(r.name + " is a curve", "--response " + r.name,
                  "name a number derived from it, such as max(" + r.name + ")");
  }
  throw Error("no response has a surrogate", "draw", "renth fit");
}

/// What figures of one response begin with.
struct OneResponse {
  OneResponse(Session& session, const DrawingOptions& options, Notes& notes)
      : predictor(session, options.responses),
        index(one_response(session.study, predictor, options.responses)) {
    notes = predictor.notes();
    predictor.note_verdicts(index, notes);
  }
  const Predictor predictor;
  const int index;
};

/// The runs that are fitted, as dots; none for a derived response.
Eigen::MatrixXd runs_of(Session& session, int index) {
  const Response& response = session.study.responses[index];
  if (response.derive) return Eigen::MatrixXd(0, session.study.space.size());
  return collect_data(session, response, {"fit"}).data.inputs;
}

/// Mean and interval of one scalar response.
Band band_of(const Predictor& predictor, int index, Points points, double level, bool of_a_run) {
  if (const StoredSurrogate* stored = predictor.stored(index)) {
    const Prediction p = predict_parallel(*stored->surrogate, points, {.variance = true});
    const Intervals bounds = stored->surrogate->intervals(p, level);
    return {p.mean.col(0), of_a_run ? bounds.prediction_low.col(0) : bounds.confidence_low.col(0),
            of_a_run ? bounds.prediction_high.col(0) : bounds.confidence_high.col(0)};
  }
  const std::string& name = predictor.study().responses[index].name;
  Band out{Eigen::VectorXd(points.rows()), Eigen::VectorXd(points.rows()), Eigen::VectorXd(points.rows())};
  const PredictResult result = predictor.predict(points, level);
  for (std::size_t i = 0; i < result.predictions.size(); ++i)
    for (const PredictedResponse& r : result.predictions[i].responses)
      if (r.response == name) {
        const auto at = static_cast<Index>(i);
        out.mean[at] = r.mean[0];
        out.low[at] = of_a_run ? r.prediction_low[0] : r.confidence_low[0];
        out.high[at] = of_a_run ? r.prediction_high[0] : r.confidence_high[0];
      }
  return out;
}

/// Averages of a response that is fitted itself.
AverageAt average_of(const Study& study, const Predictor& predictor, int index, double level) {
  const StoredSurrogate* stored = predictor.stored(index);
  if (!stored)
    throw Error(study.responses[index].name + " is derived from others, and its average is not theirs",
                "draw", "draw slices of it, or the averages of what it is made of");
  return [&study, stored, level](const std::vector<std::pair<Index, double>>& held) {
    return average_over_region(study.space, *stored->surrogate, 0, held, level);
  };
}

}  // namespace

std::pair<Index, Index> two_axes(Session& session, const DrawingOptions& options, int index, Notes& notes,
                                 bool all) {
  const Study& study = session.study;
  std::string x = options.x, y = options.y;
  if (x.empty() || y.empty()) {
    const RankResult rank = rank_responses(session, {study.responses[index].name},
                                           {.samples = 256, .replicates = 2}, options.seed);
    for (const RankedParameter& p : rank.responses[0].ranking.parameters) {
      const std::string& candidate = study.space[p.parameter].name;
      if ((!all && !study.space[p.parameter].is_between()) || candidate == x || candidate == y) continue;
      if (x.empty())
        x = candidate;
      else if (y.empty())
        y = candidate;
    }
    if (x.empty() || y.empty())
      throw Error("fewer than two parameters have values in between", "draw " + options.figure,
                  "use draw slices");
    add_note(notes, "axes_chosen",
             fmt::format("{} and {} matter most{}; --x and --y name others", x, y,
                         all ? "" : " among the parameters that have values in between"));
  }
  return {parameter_named(study, x, "--x"), parameter_named(study, y, "--y")};
}

Gnuplot figure_contour(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const OneResponse one(session, options, notes);
  const auto [x, y] = two_axes(session, options, one.index, notes);
  const Eigen::MatrixXd runs = runs_of(session, one.index);
  const auto mean = [&](Points points) { return Eigen::VectorXd(one.predictor.mean_of(one.index, points)); };
  return draw_contour(
      study, study.responses[one.index], x, y, setting_held(session, options), mean,
      [&](const Eigen::VectorXd& p) { return one.predictor.coverage().inside(p); }, runs);
}

Gnuplot figure_surface(Session& session, const DrawingOptions& options, Notes& notes) {
  const OneResponse one(session, options, notes);
  const auto [x, y] = two_axes(session, options, one.index, notes);
  return draw_surface(
      session.study, session.study.responses[one.index], x, y, setting_held(session, options),
      [&](Points points) { return Eigen::VectorXd(one.predictor.mean_of(one.index, points)); },
      runs_of(session, one.index));
}

Gnuplot figure_overlap(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const Predictor predictor(session, options.responses);
  notes = predictor.notes();
  std::vector<const Response*> shown;
  for (const Response& r : study.responses) {
    const bool named = std::count(options.responses.begin(), options.responses.end(), r.name) > 0;
    const bool limited = r.accept.min || r.accept.max;
    if (named && (!limited || r.axis >= 0))
      throw Error(r.name + (r.axis >= 0 ? " is a curve" : " has no accept limits"), "draw overlap",
                  r.axis >= 0 ? "name a number derived from it"
                              : "give it accept = { min = …, max = … } in study.toml");
    if (!limited || r.axis >= 0 || (!options.responses.empty() && !named)) continue;
    const int index = study.response(r.name);
    if (!predictor.has(index))
      throw Error(r.name + " has accept limits and no surrogate", "draw overlap",
                  "renth fit --response " + r.name);
    predictor.note_verdicts(index, notes);
    shown.push_back(&r);
  }
  if (shown.empty())
    throw Error("no response has accept limits", "draw overlap",
                "give some accept = { min = …, max = … } in study.toml");
  const int first = study.response(shown.front()->name);
  const auto [x, y] = two_axes(session, options, first, notes);
  double share = 0;
  Gnuplot out = draw_overlap(
      study, shown, x, y, setting_held(session, options),
      [&](std::size_t k, Points points) {
        return band_of(predictor, study.response(shown[k]->name), points, options.level, true);
      },
      runs_of(session, first), options.level, share);
  if (share == 0)
    add_note(notes, "nothing_feasible",
             "nowhere in this picture do all means lie within the accept limits: hold other values with "
             "--at, or --proposal");
  return out;
}

Gnuplot figure_main_effects(Session& session, const DrawingOptions& options, Notes& notes) {
  const OneResponse one(session, options, notes);
  return draw_main_effects(session.study, session.study.responses[one.index],
                           average_of(session.study, one.predictor, one.index, options.level), options.level);
}

Gnuplot figure_interaction(Session& session, const DrawingOptions& options, Notes& notes) {
  const OneResponse one(session, options, notes);
  const auto [x, y] = two_axes(session, options, one.index, notes, true);
  if (x == y)
    throw Error("both are " + session.study.space[x].name, "draw interaction",
                "name two parameters: --x A --y B");
  return draw_interaction(session.study, session.study.responses[one.index], x, y,
                          average_of(session.study, one.predictor, one.index, options.level), options.level);
}

Gnuplot figure_slices(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const OneResponse one(session, options, notes);
  const BandAt band = [&](Points points) {
    return band_of(one.predictor, one.index, points, options.level, false);
  };
  return draw_slices(
      study, study.responses[one.index], setting_held(session, options), band,
      [&](const Eigen::VectorXd& p) { return one.predictor.coverage().inside(p); }, options.level);
}

}  // namespace renth
