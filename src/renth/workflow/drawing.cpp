#include <fmt/format.h>

#include <algorithm>
#include <renth/workflow/drawing.hpp>
#include <renth/workflow/drawing_parts.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {

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

Gnuplot predicted_observed(Session& session, const DrawingOptions& options, Notes& notes) {
  const TrustResult trust = trust_responses(
      session, {options.responses, options.level, options.target, TrustOptions::Learning::never});
  notes = trust.notes;
  return draw_predicted_observed(session.study, trust);
}

Gnuplot importance(Session& session, const DrawingOptions& options, Notes& notes) {
  const RankResult rank = rank_responses(session, options.responses, {.level = options.level}, options.seed);
  notes = rank.notes;
  return draw_importance(session.study, rank);
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

const std::vector<FigureKind>& figure_kinds() {
  static const std::vector<FigureKind> kinds = {
      {"predicted-observed", "cross-validated predictions against observations, check runs apart",
       predicted_observed},
      {"error-map", "where over two parameters runs are predicted badly, and how sure the surrogate is",
       figure_error_map},
      {"learning", "Q² against the number of runs, and how many more would reach the target",
       figure_learning},
      {"curve", "a curve at one setting with its bands, and R² and Q² at each axis point", figure_curve},
      {"residuals", "a polynomial's residuals four ways, or against a parameter (--against P)",
       figure_residuals},
      {"effects", "a polynomial's effects, sorted, with the line of significance, and on half-normal paper",
       figure_effects},
      {"main-effects", "a response along each parameter, averaged over the others", figure_main_effects},
      {"interaction", "the same along --x, a line for each of a few values of --y", figure_interaction},
      {"contour", "a response over two parameters (--x A --y B), the others held", figure_contour},
      {"surface", "the same in three dimensions, with the contour beneath", figure_surface},
      {"overlap", "where over two parameters all accept limits hold", figure_overlap},
      {"slices", "a response along each parameter, with its band", figure_slices},
      {"importance", "shares of variance with intervals", importance},
      {"failures", "failed and done runs over the two parameters that separate them best", failures},
      {"variance", "a plan's prediction variance: contour over two parameters, slices along all",
       figure_variance},
      {"region-share", "prediction variance against share of the region, several plans overlaid",
       figure_region_share},
      {"pairs", "a plan's projections on every two parameters, by origin", figure_pairs},
      {"correlation", "which terms a plan cannot keep apart", figure_correlation},
      {"sweep", "efficiency against the number of runs (--runs A..B --model TERMS)", figure_sweep},
  };
  return kinds;
}

Notes draw_figure(Session& session, const DrawingOptions& options) {
  std::string known;
  for (const FigureKind& kind : figure_kinds()) {
    if (kind.name == options.figure) {
      Notes notes;
      kind.make(session, options, notes).render(options.file);
      return notes;
    }
    known += (known.empty() ? "" : ", ") + kind.name;
  }
  throw Error("no figure is called \"" + options.figure + "\"", "draw", "use one of " + known);
}

}  // namespace renth
