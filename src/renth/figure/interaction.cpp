#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/ranking.hpp>

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

/// A panel a pair: the response along the one, lines for a few values of the other.
Gnuplot draw_all_pairs(const Study& study, const Response& response, const std::vector<Eigen::Index>& shown,
                       const AverageAt& average) {
  std::vector<std::pair<Eigen::Index, Eigen::Index>> pairs;
  for (std::size_t a = 0; a < shown.size(); ++a)
    for (std::size_t b = a + 1; b < shown.size(); ++b) pairs.emplace_back(shown[a], shown[b]);
  Gnuplot g;
  begin_panels(
      g, int(pairs.size()),
      fmt::format("{}: pairs of parameters", with_unit(response.title(), response.unit)),
      fmt::format(
          "{}average over the region of all others, along the one named first; lines: the other, blue at "
          "its low end (or first choice), orange at the high one; not parallel: they interact",
          Eigen::Index(shown.size()) < study.space.size() ? "the five that matter most; " : ""),
      0.06);
  AverageRange range;
  std::vector<std::string> plots;
  for (std::size_t k = 0; k < pairs.size(); ++k) {
    const Parameter &px = study.space[pairs[k].first], &pl = study.space[pairs[k].second];
    const std::vector<double> values = few_values(pl);
    std::string lines;
    for (std::size_t v = 0; v < values.size(); ++v) {
      std::vector<std::vector<double>> rows;
      for (const double x : shown_values(px, 9)) {
        const Average a = average({{pairs[k].first, x}, {pairs[k].second, values[v]}});
        range.take({a.mean, a.mean, a.mean});
        rows.push_back({x, a.mean});
      }
      g.block(fmt::format("pair{}_{}", k, v), rows);
      const char* ink = v == 0 ? colour::main : v + 1 == values.size() ? colour::accent : colour::quiet;
      lines += fmt::format("{}$pair{}_{} using 1:2 with {} lw 2 lc rgb '{}'", v ? ", " : "", k, v,
                           px.is_between() ? "lines" : "linespoints pt 7 ps 0.7*ps", ink);
    }
    plots.push_back(lines);
  }
  for (std::size_t k = 0; k < pairs.size(); ++k) {
    const Parameter &px = study.space[pairs[k].first], &pl = study.space[pairs[k].second];
    parameter_axis(g, px);
    g.line(fmt::format(
        "set title {} offset 0,-0.6 font ',12'\nunset xlabel\nunset ylabel\nset xtics font ',10'\nset ytics "
        "font ',10'\n{}\nplot {}",
        quote(px.title() + ", lines: " + pl.title()), range.command(), plots[k]));
    forget_head(g);
  }
  end_panels(g);
  return g;
}

/// The parameters that matter most, in the order of the study: all of up to five.
std::vector<Eigen::Index> most_important(Session& session, const DrawingOptions& options, int index) {
  constexpr std::size_t most = 5;
  std::vector<Eigen::Index> out;
  const RankResult rank =
      rank_responses(session, {.method = "shares",
                               .responses = {session.study.responses[std::size_t(index)].name},
                               .options = {.samples = 256, .replicates = 2},
                               .seed = options.seed});
  for (const RankedParameter& p : rank.responses[0].ranking.parameters)
    if (out.size() < most) out.push_back(p.parameter);
  std::sort(out.begin(), out.end());
  return out;
}

}  // namespace

Gnuplot figure_interaction(Session& session, const DrawingOptions& options, Notes& notes) {
  const OneResponse one(session, options, notes);
  const Study& study = session.study;
  const AverageAt average = average_of(study, one.fitted, one.index, options.level);
  if (options.x.empty() && options.y.empty() && study.space.size() > 2)
    return draw_all_pairs(study, study.responses[std::size_t(one.index)],
                          most_important(session, options, one.index), average);
  const auto [x, y] = two_axes(session, options, one.index, notes, true);
  if (x == y)
    throw Error("both are " + study.space[x].name, "draw interaction", "name two parameters: --x A --y B");
  return draw_interaction(study, study.responses[std::size_t(one.index)], x, y, average, options.level);
}

}  // namespace renth
