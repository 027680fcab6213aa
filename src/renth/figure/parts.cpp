#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/workflow/kept_seek.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {

using Index = Eigen::Index;

namespace {

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

ModelResult find_polynomial(Session& session, const DrawingOptions& options, Notes& notes) {
  if (options.responses.size() > 1) throw Error("this figure shows one response", "--response", "name one");
  if (options.responses.size() == 1)
    return current_polynomial(session, options.responses[0], options.level, notes);
  for (const Response& r : chosen_responses(session.study, {}, false)) {
    Notes ignored;
    const auto stored = current_surrogate(session, r, ignored);
    if (stored && polynomial_of(*stored->surrogate))
      return current_polynomial(session, r.name, options.level, notes);
  }
  throw Error("no response has a polynomial that matches the study", "draw " + options.figure,
              "renth fit polynomial");
}

}  // namespace

void AverageRange::take(const Average& a) {
  for (const double v : {a.mean, a.low, a.high})
    if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
}
std::string AverageRange::command() const {
  return axis_range("y", low, high, 0.05);
}

OneResponse::OneResponse(Session& session, const DrawingOptions& options, Notes& notes)
    : fitted(session, options.responses),
      index(one_response(session.study, fitted.predictor(), options.responses)) {
  notes = fitted.notes();
  fitted.note_verdicts(index, notes);
}

ModelResult one_polynomial(Session& session, const DrawingOptions& options, Notes& notes) {
  ModelResult m = find_polynomial(session, options, notes);
  if (m.judgement.verdict >= Verdict::weak)
    add_note(notes, m.judgement.verdict == Verdict::unfit ? "unfit" : "weak",
             "the polynomial of " + m.response + " is " + std::string(name(m.judgement.verdict)) +
                 ": renth trust says why");
  return m;
}

Eigen::MatrixXd runs_of(Session& session, int index) {
  const Response& response = session.study.responses[index];
  if (response.derive) return Eigen::MatrixXd(0, session.study.space.size());
  return collect_data(session, response, {"fit"}).data.inputs;
}

Band band_of(const Predictor& predictor, int index, Points points, double level, bool of_a_run) {
  const Predictions all = predictor.predict(points, level, {{index}, false});
  const ResponsePrediction& r = *all.of(index);
  return {r.mean.col(0), (of_a_run ? r.prediction_low : r.confidence_low).col(0),
          (of_a_run ? r.prediction_high : r.confidence_high).col(0)};
}

AverageAt average_of(const Study& study, const FittedStudy& fitted, int index, double level) {
  const auto& part = fitted.model().parts[std::size_t(index)];
  if (!part)
    throw Error(
        study.responses[std::size_t(index)].name + " is derived from others, and its average is not theirs",
        "draw", "draw slices of it, or the averages of what it is made of");
  return [&study, surrogate = part->surrogate, level](const std::vector<std::pair<Index, double>>& held) {
    return average_over_region(study.space, *surrogate, 0, held, level);
  };
}

Response one_fitted(Session& session, const DrawingOptions& options, bool curve) {
  if (options.responses.size() > 1) throw Error("this figure shows one response", "--response", "name one");
  for (const Response& r : chosen_responses(session.study, options.responses, false)) {
    if ((r.axis >= 0) == curve) return r;
    if (!options.responses.empty())
      throw Error(r.name + (curve ? " is not a curve" : " is a curve"), "--response " + r.name,
                  curve ? "draw slices shows it" : "draw curve shows it");
  }
  throw Error(curve ? "no response is a curve" : "every response is a curve", "draw " + options.figure,
              curve ? "give a response along = AXIS in study.toml" : "use draw curve");
}

Terms terms_for(const Study& study, const DrawingOptions& o, const PlanSource& source) {
  const Terms terms = terms_asked(study, o.model, source);
  return terms.empty() ? suggested_terms(study.space, source.points, source.blocks) : terms;
}

std::string frame_near_best(Session& session, Gnuplot& g, Eigen::Index x, Eigen::Index y,
                            const Eigen::VectorXd& at) {
  const Study& study = session.study;
  const auto near = kept_near_best(session);
  if (!near) return "";
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    if (j == x || j == y) continue;
    const auto range = near->box.find(study.space[j].name);
    const bool within = range == near->box.end()
                            ? near->best.at(study.space[j].name) == study.settings(at).at(study.space[j].name)
                            : at[j] >= range->second.first && at[j] <= range->second.second;
    if (!within) return "";
  }
  const auto across = near->box.find(study.space[x].name), upwards = near->box.find(study.space[y].name);
  if (across == near->box.end() || upwards == near->box.end()) return "";
  // Round what can be set, so that a single value has a frame too.
  const auto ends = [&](Eigen::Index j, std::pair<double, double> range) {
    const Parameter& p = study.space[j];
    constexpr double hair = 0.004;  // of the span
    const double spare = std::max(0.5 * p.step, hair * (p.high - p.low));
    return std::pair(std::max(p.low, range.first - spare), std::min(p.high, range.second + spare));
  };
  const auto [left, right] = ends(x, across->second);
  const auto [lower, upper] = ends(y, upwards->second);
  g.line(fmt::format("set object 78 rectangle from {},{} to {},{} front lw 3 fs empty border lc rgb '{}'",
                     left, lower, right, upper, colour::accent));
  return "; orange frame: as good as the best";
}

std::vector<double> few_values(const Parameter& p) {
  std::vector<double> values = shown_values(p, 3);
  if (values.size() > 4) values = {values.front(), values[values.size() / 2], values.back()};
  return values;
}

Eigen::VectorXd setting_held(Session& session, const DrawingOptions& options) {
  return setting_asked(session, options.held);
}

Eigen::Index parameter_named(const Study& study, const std::string& name, const char* option) {
  if (const auto j = study.space.find(name)) return *j;
  std::vector<std::string> known;
  for (const Parameter& p : study.space.parameters()) known.push_back(p.name);
  refuse_unknown("parameter", name, option, known);
}

std::pair<Index, Index> two_axes(Session& session, const DrawingOptions& options, int index, Notes& notes,
                                 bool all) {
  const Study& study = session.study;
  std::string x = options.x, y = options.y;
  if (x.empty() || y.empty()) {
    const RankResult rank = rank_responses(session, {.method = "shares",
                                                     .responses = {study.responses[index].name},
                                                     .options = {.samples = 256, .replicates = 2},
                                                     .seed = options.seed});
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

}  // namespace renth
