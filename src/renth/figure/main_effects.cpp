#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>

namespace renth {
namespace {

/// One panel a parameter: the response averaged over all others, with its band; levels and choices as points.
Gnuplot draw_main_effects(const Study& study, const Response& response, const AverageAt& average,
                          double level) {
  Gnuplot g;
  const Space& space = study.space;
  AverageRange range;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    std::vector<std::vector<double>> rows;
    for (const double v : shown_values(space[j], 21)) {
      const Average a = average({{j, v}});
      range.take(a);
      rows.push_back({v, a.mean, a.low, a.high});
    }
    g.block(fmt::format("effect{}", j), rows);
  }
  begin_panels(
      g, int(space.size()), fmt::format("{}: main effects", with_unit(response.title(), response.unit)),
      fmt::format("average over the region of all other parameters{}; band: {:.0f} % of that average; one "
                  "scale, so that "
                  "steep means strong",
                  space.limits().empty() ? "" : ", as far as the limits allow with this value", 100 * level));
  g.line(range.command() + fmt::format("\nset ylabel {} offset 1,0", quote(response.unit)));
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    if (j > 0) only_first_labelled(g, int(j), int(space.size()), response.unit);
    parameter_axis(g, space[j]);
    if (space[j].is_between())
      g.line(fmt::format(
          "plot $effect{0} using 1:3:4 with filledcurves fc rgb '{1}', $effect{0} using 1:2 with lines lw "
          "2 lc rgb '{2}'",
          j, colour::band, colour::main));
    else
      g.line(fmt::format("plot $effect{0} using 1:2:3:4 with yerrorbars pt 7 ps 1.2*ps lw 2 lc rgb '{1}'", j,
                         colour::main));
    forget_head(g);
  }
  end_panels(g);
  return g;
}

}  // namespace

Gnuplot figure_main_effects(Session& session, const DrawingOptions& options, Notes& notes) {
  const OneResponse one(session, options, notes);
  return draw_main_effects(session.study, session.study.responses[one.index],
                           average_of(session.study, one.fitted, one.index, options.level), options.level);
}

}  // namespace renth
