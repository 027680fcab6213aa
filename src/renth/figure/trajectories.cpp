#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/figures.hpp>
#include <renth/document/parts.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {
namespace {

/// One panel a response: how strong each effect is against how much it differs from place to place.
Gnuplot draw_trajectories(const Study& study, const RankResult& rank) {
  Gnuplot g;
  begin_panels(
      g, int(rank.responses.size()), "Effects of one parameter at a time",
      fmt::format(
          "each per span; bar: {} interval; below the lower line an effect is much the same everywhere, "
          "above the upper one it differs more than it is large",
          level_text(rank.level)),
      0.08);
  for (std::size_t i = 0; i < rank.responses.size(); ++i) {
    const auto& one = rank.responses[i];
    const Response& r = response_of(study, one.response);
    std::vector<std::vector<double>> rows;
    double across = 0, up = 0;
    for (const RankedParameter& p : one.ranking.parameters) {
      const Measure& size = measure_of(p, "absolute");
      const double spread = measure_of(p, "spread").value;
      rows.push_back({size.value, std::isnan(spread) ? 0 : spread, size.low, size.high});
      across = std::max({across, size.value, std::isnan(size.high) ? 0 : size.high});
      up = std::max(up, rows.back()[1]);
    }
    if (!(across > 0)) across = 1;
    up = std::max(up, 0.25 * across);
    g.block(fmt::format("effects{}", i), rows);
    std::vector<std::string> names;
    for (const RankedParameter& p : one.ranking.parameters) names.push_back(study.space[p.parameter].title());
    for (std::size_t k = 0; k < rows.size() && k < 12; ++k) {
      const bool left = rows[k][0] > 0.6 * across;
      g.line(fmt::format("set label {} {} at first {},{} {} font ',11' tc rgb '{}' front", 100 + k,
                         quote(names[k]), rows[k][0], rows[k][1],
                         left ? "right offset -0.8,0.6" : "left offset 0.9,0.6", colour::ink));
    }
    g.line(fmt::format(
        "set title {} offset 0,-0.4\nset xlabel {} offset 0,0.4\nset ylabel 'spread' offset 1,0\nset xrange "
        "[0:{}]\nset yrange [0:{}]",
        quote(with_unit(r.title(), r.unit)), quote("mean size of the effect"), 1.06 * across, 1.15 * up));
    g.line(fmt::format(
        "plot x lw 1 dt 2 lc rgb '{0}', 0.1*x lw 1 lc rgb '{0}', $effects{1} using 1:2:3:4 with xerrorbars "
        "pt 7 ps 1.2*ps lw 1.6 lc rgb '{2}'",
        colour::quiet, i, colour::main));
    for (std::size_t k = 0; k < rows.size() && k < 12; ++k) g.line(fmt::format("unset label {}", 100 + k));
    forget_head(g);
  }
  end_panels(g);
  return g;
}

}  // namespace

Gnuplot figure_trajectories(Session& session, const DrawingOptions& options, Notes& notes) {
  const RankResult rank = rank_responses(session, {.method = "trajectories",
                                                   .responses = options.responses,
                                                   .options = {.level = options.level},
                                                   .seed = options.seed});
  notes = rank.notes;
  return draw_trajectories(session.study, rank);
}

}  // namespace renth
