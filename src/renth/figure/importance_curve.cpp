#include <fmt/format.h>

#include <algorithm>
#include <renth/document/figures.hpp>
#include <renth/document/parts.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {
namespace {

constexpr const char* line_bands[] = {"#bcd0e4", "#f3d8c3", "#c0ddd0", "#dccbe2", "#e6dcc6", "#d0d4d8"};

/// Shares along the axis of a curve: a line with its band for each of those that matter most anywhere.
Gnuplot draw_along(const Study& study, const RankResult::OfResponse& one, double level) {
  const Response& response = response_of(study, one.response);
  const Axis& axis = *study.axis_of(response);
  std::vector<const RankedParameter*> shown;
  for (const RankedParameter& p : one.ranking.parameters) shown.push_back(&p);
  const auto most = [](const RankedParameter* p) {
    double out = 0;
    for (const BoundedShare& s : p->along) out = std::max(out, s.share);
    return out;
  };
  std::stable_sort(shown.begin(), shown.end(),
                   [&](const auto* a, const auto* b) { return most(a) > most(b); });
  shown.resize(std::min(shown.size(), std::size(line_bands)));
  Gnuplot g;
  std::string bands, lines;
  for (std::size_t k = 0; k < shown.size(); ++k) {
    std::vector<std::vector<double>> rows;
    for (std::size_t i = 0; i < axis.points.size(); ++i) {
      const BoundedShare& s = shown[k]->along[i];
      rows.push_back({axis.points[i], 100 * s.share, 100 * s.low, 100 * s.high});
    }
    g.block(fmt::format("along{}", k), rows);
    bands += fmt::format("$along{0} using 1:3:4 with filledcurves fc rgb '{1}' fs transparent solid 0.5, ", k,
                         line_bands[k]);
    lines +=
        fmt::format("{}$along{} using 1:2 with linespoints pt 7 ps 0.7*ps lw 2.2 lc rgb '{}' title {}",
                    k ? ", " : "", k, colour::of_kind[k], quote(study.space[shown[k]->parameter].title()));
  }
  head(g, fmt::format("{}: what matters where along {}", response.title(), axis.name),
       fmt::format("share of the variance at each point{}; bands: {} intervals",
                   one.ranking.method == "shapley" ? " (Shapley effects over the allowed region)"
                                                   : " that each parameter makes alone",
                   level_text(level)));
  g.line(fmt::format(
      "set xlabel {}\nset ylabel 'share of variance [%]'\nset xrange [{}:{}]\nset yrange [0:100]\nset key "
      "outside right top vertical Left reverse title 'parameter' left",
      quote(with_unit(axis.name, axis.unit)), axis.points.front(), axis.points.back()));
  std::size_t longest = 9;
  for (const RankedParameter* p : shown)
    longest = std::max(longest, study.space[p->parameter].title().size());
  g.line(fmt::format("set rmargin at screen {}", std::max(0.6, 0.94 - 0.0075 * double(longest))));
  g.line("plot " + bands + lines);
  return g;
}

}  // namespace

Gnuplot figure_importance_curve(Session& session, const DrawingOptions& options, Notes& notes) {
  const Study& study = session.study;
  std::string wanted = options.responses.empty() ? "" : options.responses.front();
  for (const Response& r : study.responses)
    if (wanted.empty() && r.axis >= 0 && session.surrogate(r.name)) wanted = r.name;
  if (wanted.empty())
    throw Error("no curve has a surrogate", "draw importance-curve", "renth fit; or draw importance");
  const RankResult rank = rank_responses(
      session,
      {.method = "shares", .responses = {wanted}, .options = {.level = options.level}, .seed = options.seed});
  if (rank.responses.front().ranking.parameters.front().along.empty())
    throw Error(wanted + " is a number, not a curve", "draw importance-curve", "use draw importance");
  notes = rank.notes;
  return draw_along(study, rank.responses.front(), rank.level);
}

}  // namespace renth
