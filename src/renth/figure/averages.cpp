#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/figure/figures.hpp>
#include <renth/figure/layout.hpp>
#include <renth/study/tables.hpp>

namespace renth {
namespace {

struct Range {
  double low = INFINITY, high = -INFINITY;
  void take(const Average& a) {
    for (const double v : {a.mean, a.low, a.high})
      if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
  }
  std::string command() const {
    const double spare = 0.05 * (high - low);
    return fmt::format("set yrange [{}:{}]", low - spare, high + spare);
  }
};

constexpr const char* line_colours[] = {"#1c4f82", "#d3742a", "#3f8f6b", "#8a5a9e",
                                        "#8a949e", "#b03a48", "#6a7f1f"};
constexpr const char* band_colours[] = {"#bcd0e4", "#f3d8c3", "#c5e0d4", "#dccfe3",
                                        "#dfe3e7", "#ecc8cd", "#dbe3bd"};

}  // namespace

Gnuplot draw_main_effects(const Study& study, const Response& response, const AverageAt& average,
                          double level) {
  Gnuplot g;
  const Space& space = study.space;
  Range range;
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
      g, int(space.size()), fmt::format("{}: main effects", axis_label(response.title(), response.unit)),
      fmt::format("average over the region of all other parameters{}; band: {:.0f} % of that average; one "
                  "scale, so that "
                  "steep means strong",
                  space.limits().empty() ? "" : ", as far as the limits allow with this value", 100 * level));
  g.line(range.command() + fmt::format("\nset ylabel {} offset 1,0", quote(response.unit)));
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    parameter_axis(g, space[j]);
    if (space[j].is_between())
      g.line(fmt::format(
          "plot $effect{0} using 1:3:4 with filledcurves fc rgb '{1}', $effect{0} using 1:2 with lines lw "
          "2 lc rgb '{2}'",
          j, colour::band, colour::main));
    else
      g.line(fmt::format("plot $effect{0} using 1:2:3:4 with yerrorbars pt 7 ps 1.2*ps lw 2 lc rgb '{1}'", j,
                         colour::main));
    g.line("unset label 1001\nunset label 1002\nunset label 1003");
  }
  end_panels(g);
  return g;
}

Gnuplot draw_interaction(const Study& study, const Response& response, Eigen::Index x, Eigen::Index lines,
                         const AverageAt& average, double level) {
  Gnuplot g;
  const Parameter &px = study.space[x], &pl = study.space[lines];
  std::vector<double> values = shown_values(pl, 3);
  if (values.size() > 7) values = {values.front(), values[values.size() / 2], values.back()};
  Range range;
  std::string bands, marks;
  for (std::size_t k = 0; k < values.size(); ++k) {
    std::vector<std::vector<double>> rows;
    for (const double v : shown_values(px, 31)) {
      const Average a = average({{x, v}, {lines, values[k]}});
      range.take(a);
      // Bars of several lines at one value stand side by side.
      const double aside = px.is_between() ? 0
                                           : 0.03 * (px.high - px.low + (px.is_choice() ? 1 : 0)) *
                                                 (double(k) - 0.5 * double(values.size() - 1));
      rows.push_back({v + aside, a.mean, a.low, a.high});
    }
    g.block(fmt::format("line{}", k), rows);
    const std::string title =
        quote(pl.is_choice() ? pl.choices[std::size_t(values[k])]
                             : pretty(values[k], 4) + (pl.unit.empty() ? "" : " " + pl.unit));
    if (px.is_between()) {
      bands += fmt::format("$line{0} using 1:3:4 with filledcurves fc rgb '{1}' fs transparent solid 0.55, ",
                           k, band_colours[k]);
      marks += fmt::format("{}$line{} using 1:2 with lines lw 2.2 lc rgb '{}' title {}", k ? ", " : "", k,
                           line_colours[k], title);
    } else {
      marks += fmt::format("{}$line{} using 1:2:3:4 with yerrorbars pt 7 ps 1.2*ps lw 2 lc rgb '{}' title {}",
                           k ? ", " : "", k, line_colours[k], title);
    }
  }
  head(g, fmt::format("{}: {} with {}", axis_label(response.title(), response.unit), px.title(), pl.title()),
       fmt::format("average over the region of all other parameters; bands: {:.0f} % of that average; lines "
                   "that are not "
                   "parallel interact",
                   100 * level));
  parameter_axis(g, px);
  g.line(range.command() +
         fmt::format("\nset ylabel {}\nset key outside right top vertical Left reverse title {} left",
                     quote(axis_label(response.title(), response.unit)), quote(pl.title())));
  g.line("plot " + bands + marks);
  return g;
}

}  // namespace renth
