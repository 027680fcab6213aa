#include <fmt/format.h>

#include <algorithm>
#include <renth/figure/plan_figures.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/workflow/assessing.hpp>
#include <renth/workflow/drawing_parts.hpp>
#include <renth/workflow/planning.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The terms asked for, those the plan was made for, or the richest polynomial it carries.
Terms terms_for(const Study& study, const DrawingOptions& o, const PlanSource& source) {
  const Terms terms = terms_asked(study, o.model, source);
  return terms.empty() ? suggested_terms(study.space, source.points) : terms;
}

/// The plan with `count` runs at its centre instead of those it has.
PlanSource with_centre(const PlanSource& source, int count) {
  PlanSource out = source;
  std::vector<Index> kept;
  Eigen::VectorXd centre;
  for (Index i = 0; i < source.points.rows(); ++i)
    if (source.origins[std::size_t(i)] == "centre")
      centre = source.points.row(i);
    else
      kept.push_back(i);
  if (centre.size() == 0)
    throw Error(source.name + " has no centre runs", "--centre",
                "leave it out, or name a central composite or Box–Behnken plan");
  const auto n = Index(kept.size());
  out.points = source.points(kept, Eigen::all);
  out.points.conservativeResize(n + count, Eigen::NoChange);
  for (int i = 0; i < count; ++i) out.points.row(n + i) = centre;
  out.blocks.resize(0);
  out.name = fmt::format("{} with {} centre run{}", source.name, count, count == 1 ? "" : "s");
  return out;
}

}  // namespace

Gnuplot figure_region_share(Session& session, const DrawingOptions& o, Notes&) {
  const Study& study = session.study;
  std::vector<PlanSource> sources = {find_plan(session, o.batch)};
  const Terms terms = terms_for(study, o, sources[0]);
  const PlanSource first = sources[0];
  std::vector<int> centre = o.centre;
  const bool has_centre =
      std::find(first.origins.begin(), first.origins.end(), "centre") != first.origins.end();
  if (centre.empty() && has_centre && o.against.empty()) centre = {1, 3, 5};
  if (!centre.empty()) {
    sources.clear();
    for (const int count : centre) sources.push_back(with_centre(first, count));
  }
  for (const std::string& name : o.against) sources.push_back(find_plan(session, name));
  std::vector<NamedAssessment> plans;
  for (const PlanSource& s : sources)
    plans.push_back({s.name, assess(study.space, s.points, s.blocks, terms)});
  return draw_region_share(study, plans);
}

Gnuplot figure_variance(Session& session, const DrawingOptions& o, Notes& notes) {
  const Study& study = session.study;
  const PlanSource source = find_plan(session, o.batch);
  const Assessment a = assess(study.space, source.points, source.blocks, terms_for(study, o, source));
  std::string x = o.x, y = o.y;
  for (const Parameter& p : study.space.parameters()) {
    if (!p.is_between() || p.name == x || p.name == y) continue;
    if (x.empty())
      x = p.name;
    else if (y.empty())
      y = p.name;
  }
  if (x.empty() || y.empty())
    throw Error("fewer than two parameters have values in between", "draw variance", "use draw region-share");
  if (o.x.empty() || o.y.empty())
    add_note(notes, "axes_chosen", fmt::format("over {} and {}; --x and --y name others", x, y));
  Eigen::VectorXd at = setting_held(session, o);
  if (o.at.empty() && !o.proposal)  // the middle says more about a plan than the baseline
    for (Index j = 0; j < study.space.size(); ++j)
      if (study.space[j].is_between()) at[j] = 0.5 * (study.space[j].low + study.space[j].high);
  return draw_variance(study, source.name, a, parameter_named(study, x, "--x"),
                       parameter_named(study, y, "--y"), at, source.points);
}

Gnuplot figure_sweep(Session& session, const DrawingOptions& o, Notes& notes) {
  if (o.runs_to <= o.runs_from)
    throw Error("the range of run counts is not said", "draw sweep", "give it: --runs 16..40 --model TERMS");
  PlanningOptions p;
  p.method = "optimal";
  p.request.runs = o.runs_from;
  p.request.runs_to = o.runs_to;
  p.request.model = o.model;
  p.request.criterion = o.criterion;
  p.seed = o.seed;
  const PlanResult result = plan_batch(session, p);
  for (const Note& n : result.notes) notes.push_back(n);
  return draw_sweep(session.study, result.model, *result.sweep);
}

Gnuplot figure_pairs(Session& session, const DrawingOptions& o, Notes&) {
  const PlanSource source = find_plan(session, o.batch);
  return draw_pairs(session.study, source.name, source.points, source.origins);
}

Gnuplot figure_correlation(Session& session, const DrawingOptions& o, Notes&) {
  const PlanSource source = find_plan(session, o.batch);
  return draw_correlation(session.study, source.name, terms_for(session.study, o, source), source.points);
}

}  // namespace renth
