#include <fmt/format.h>

#include <algorithm>
#include <renth/workflow/drawing.hpp>
#include <renth/workflow/drawing_plans.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {

const std::vector<std::pair<std::string, std::string>>& figure_kinds() {
  static const std::vector<std::pair<std::string, std::string>> kinds = [] {
    std::vector<std::pair<std::string, std::string>> all = plan_figure_kinds();
    all.insert(all.begin(),
               {{"predicted-observed", "cross-validated predictions against observations, check runs apart"},
                {"contour", "a response over two parameters (--x A --y B), the others held"},
                {"slices", "a response along each parameter, with its band"},
                {"importance", "shares of variance with intervals"},
                {"failures", "failed and done runs over the two parameters that separate them best"}});
    return all;
  }();
  return kinds;
}

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

}  // namespace

Eigen::VectorXd setting_held(Session& session, const DrawingOptions& options) {
  if (!options.proposal) return session.study.point(options.at, true, "--at");
  for (const StoredProposal& p : session.store.proposals())
    if (p.rank == *options.proposal) return session.study.point(p.settings, true, "--proposal");
  throw Error(fmt::format("there is no proposal {}", *options.proposal), "--proposal",
              "renth seek makes some");
}

Eigen::Index parameter_named(const Study& study, const std::string& name, const char* option) {
  if (const auto j = study.space.find(name)) return *j;
  std::string known;
  for (const Parameter& p : study.space.parameters()) known += (known.empty() ? "" : ", ") + p.name;
  throw Error("no parameter is called " + name, option, "use one of " + known);
}

namespace {

Gnuplot contour(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const Predictor predictor(session, options.responses);
  notes = predictor.notes();
  const int index = one_response(study, predictor, options.responses);
  predictor.note_verdicts(index, notes);
  std::string x = options.x, y = options.y;
  if (x.empty() || y.empty()) {
    const RankResult rank = rank_responses(session, {study.responses[index].name},
                                           {.samples = 256, .replicates = 2}, options.seed);
    for (const RankedParameter& p : rank.responses[0].ranking.parameters) {
      const std::string& candidate = study.space[p.parameter].name;
      if (!study.space[p.parameter].is_between() || candidate == x || candidate == y) continue;
      if (x.empty())
        x = candidate;
      else if (y.empty())
        y = candidate;
    }
    if (x.empty() || y.empty())
      throw Error("fewer than two parameters have values in between", "draw contour", "use draw slices");
    add_note(
        notes, "axes_chosen",
        fmt::format(
            "{} and {} matter most among the parameters that have values in between; --x and --y name others",
            x, y));
  }
  Eigen::MatrixXd runs(0, study.space.size());
  if (!study.responses[index].derive)
    runs = collect_data(session, study.responses[index], {"fit"}).data.inputs;
  const auto mean = [&](Points points) { return Eigen::VectorXd(predictor.mean_of(index, points)); };
  return draw_contour(
      study, study.responses[index], parameter_named(study, x, "--x"), parameter_named(study, y, "--y"),
      setting_held(session, options), mean,
      [&](const Eigen::VectorXd& p) { return predictor.coverage().inside(p); }, runs);
}

Gnuplot slices(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  const Predictor predictor(session, options.responses);
  notes = predictor.notes();
  const int index = one_response(study, predictor, options.responses);
  predictor.note_verdicts(index, notes);
  const std::string& name = study.responses[index].name;
  const BandAt band = [&](Points points) {
    Band out{Eigen::VectorXd(points.rows()), Eigen::VectorXd(points.rows()), Eigen::VectorXd(points.rows())};
    const PredictResult result = predictor.predict(points, options.level);
    for (std::size_t i = 0; i < result.predictions.size(); ++i)
      for (const PredictedResponse& r : result.predictions[i].responses)
        if (r.response == name) {
          const auto at = static_cast<Eigen::Index>(i);
          out.mean[at] = r.mean[0];
          out.low[at] = r.confidence_low[0];
          out.high[at] = r.confidence_high[0];
        }
    return out;
  };
  return draw_slices(
      study, study.responses[index], setting_held(session, options), band,
      [&](const Eigen::VectorXd& p) { return predictor.coverage().inside(p); }, options.level);
}

Gnuplot failures(Session& session, const DrawingOptions& options, Notes& notes) {
  const Space& space = session.study.space;
  const FailuresResult found = find_failures(session);
  notes = found.notes;
  if (!found.rule)
    throw Error(fmt::format("{} failed and {} done runs are too few to show where runs fail", found.failed,
                            found.done),
                "draw failures", "renth run, or look at renth runs --failures");
  if (space.size() < 2)
    throw Error("one parameter is no pair", "draw failures", "look at renth runs --failures");
  Eigen::Index x = found.rule->pair.first, y = found.rule->pair.second;
  if (!options.x.empty()) x = parameter_named(session.study, options.x, "--x");
  if (!options.y.empty()) y = parameter_named(session.study, options.y, "--y");
  if (x == y)
    throw Error("both axes are " + space[x].name, "draw failures", "name two parameters with --x and --y");
  const EndedRuns ended = ended_runs(session.study, session.store.runs());
  const std::unique_ptr<const Surrogate> chance = learned_feasibility(session.study, ended);
  return draw_failures(
      session.study, ended.points, ended.failed, *found.rule, found.rule_text, x, y,
      [&](Points points) { return Eigen::VectorXd(predict_parallel(*chance, points).mean.col(0)); });
}

}  // namespace

Notes draw_figure(Session& session, const DrawingOptions& options) {
  Notes notes;
  if (options.figure == "predicted-observed") {
    const TrustResult trust = trust_responses(session, options.responses, options.level);
    notes = trust.notes;
    draw_predicted_observed(session.study, trust).render(options.file);
  } else if (options.figure == "importance") {
    const RankResult rank =
        rank_responses(session, options.responses, {.level = options.level}, options.seed);
    notes = rank.notes;
    draw_importance(session.study, rank).render(options.file);
  } else if (options.figure == "contour") {
    contour(session, options, notes).render(options.file);
  } else if (options.figure == "slices") {
    slices(session, options, notes).render(options.file);
  } else if (options.figure == "failures") {
    failures(session, options, notes).render(options.file);
  } else if (std::any_of(plan_figure_kinds().begin(), plan_figure_kinds().end(),
                         [&](const auto& k) { return k.first == options.figure; })) {
    draw_plan_figure(session, options, notes).render(options.file);
  } else {
    std::string known;
    for (const auto& [kind, summary] : figure_kinds()) known += (known.empty() ? "" : ", ") + kind;
    throw Error("no figure is called \"" + options.figure + "\"", "draw", "use one of " + known);
  }
  return notes;
}

}  // namespace renth
