#include <fmt/format.h>

#include <algorithm>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/assessing.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

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

struct NamedAssessment {
  std::string name;
  Assessment assessment;
};

/// For each plan the prediction variance that a share of the region does not exceed, all in one picture.
Gnuplot draw_region_share(const Study&, const std::vector<NamedAssessment>& plans) {
  Gnuplot g;
  std::string plot;
  double most = 0;
  for (std::size_t i = 0; i < plans.size(); ++i) {
    const Assessment& a = plans[i].assessment;
    if (!a.information.estimable)
      throw Error(plans[i].name + " cannot tell some terms apart: " + a.information.confounded,
                  "draw region-share", "use a smaller --model, or leave that plan out");
    std::vector<std::vector<double>> rows;
    for (const auto& [share, variance] : a.variance.fraction) rows.push_back({100 * share, variance});
    most = std::max(most, a.variance.max);
    g.block(fmt::format("plan{}", i), rows);
    plot += fmt::format("{}$plan{} using 1:2 with lines lw 2.4 dt {} lc rgb '{}' title {}",
                        plot.empty() ? "plot " : ", ", i, i < 6 ? 1 : int(i) - 4, colour::of_kind[i % 6],
                        quote(fmt::format("{} ({} runs): mean {:.3g}, worst {:.3g}", plans[i].name, a.runs,
                                          a.information.i_value, a.variance.max)));
  }
  head(g, "How much of the region is predicted how well",
       fmt::format("variance of a prediction over that of one run, for {} terms; low and flat is good; 1 is "
                   "as good as measuring there once",
                   plans[0].assessment.terms.size()));
  const double key_rows = double((plans.size() + 1) / 2);
  g.line(fmt::format("set rmargin at screen 0.96\nset bmargin at screen {}", 0.12 + 0.033 * key_rows));
  g.line(
      fmt::format("set xrange [0:100]\nset yrange [0:{}]\nset xlabel 'share of the region [%]'\nset ylabel "
                  "'variance of the prediction / σ²'\nset key at "
                  "screen 0.53,{} center center horizontal reverse Left samplen 3 maxcols 2 maxrows {}",
                  1.06 * most, 0.015 + 0.0165 * key_rows, key_rows));
  g.line(plot);
  return g;
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

}  // namespace renth
