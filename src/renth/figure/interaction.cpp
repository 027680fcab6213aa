#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>

namespace renth {
namespace {

constexpr const char* interaction_colours[] = {"#1c4f82", "#d3742a", "#3f8f6b", "#8a5a9e",
                                               "#8a949e", "#b03a48", "#6a7f1f"};
constexpr const char* interaction_bands[] = {"#bcd0e4", "#f3d8c3", "#c5e0d4", "#dccfe3",
                                             "#dfe3e7", "#ecc8cd", "#dbe3bd"};

/// The response along `x`, one line for each of a few values of `lines`, averaged over the rest.
Gnuplot draw_interaction(const Study& study, const Response& response, Eigen::Index x, Eigen::Index lines,
                         const AverageAt& average, double level) {
  Gnuplot g;
  const Parameter &px = study.space[x], &pl = study.space[lines];
  std::vector<double> values = shown_values(pl, 3);
  if (values.size() > 7) values = {values.front(), values[values.size() / 2], values.back()};
  AverageRange range;
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
                           k, interaction_bands[k]);
      marks += fmt::format("{}$line{} using 1:2 with lines lw 2.2 lc rgb '{}' title {}", k ? ", " : "", k,
                           interaction_colours[k], title);
    } else {
      marks += fmt::format("{}$line{} using 1:2:3:4 with yerrorbars pt 7 ps 1.2*ps lw 2 lc rgb '{}' title {}",
                           k ? ", " : "", k, interaction_colours[k], title);
    }
  }
  head(g, fmt::format("{}: {} with {}", with_unit(response.title(), response.unit), px.title(), pl.title()),
       fmt::format("average over the region of all other parameters; bands: {:.0f} % of that average; lines "
                   "that are not "
                   "parallel interact",
                   100 * level));
  parameter_axis(g, px);
  g.line(range.command() +
         fmt::format("\nset ylabel {}\nset key outside right top vertical Left reverse title {} left",
                     quote(with_unit(response.title(), response.unit)), quote(pl.title())));
  g.line("plot " + bands + marks);
  return g;
}

}  // namespace

Gnuplot figure_interaction(Session& session, const DrawingOptions& options, Notes& notes) {
  const OneResponse one(session, options, notes);
  const auto [x, y] = two_axes(session, options, one.index, notes, true);
  if (x == y)
    throw Error("both are " + session.study.space[x].name, "draw interaction",
                "name two parameters: --x A --y B");
  return draw_interaction(session.study, session.study.responses[one.index], x, y,
                          average_of(session.study, one.fitted, one.index, options.level), options.level);
}

}  // namespace renth
