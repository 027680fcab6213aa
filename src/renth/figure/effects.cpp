#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/text_table.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/workflow/judging.hpp>

namespace renth {
namespace {

double size_of(const Effect& e, bool saturated) {
  return std::abs(saturated ? e.value : e.t);
}

/// Largest first. \throws Error  there is none.
std::vector<Effect> finite_effects(const RegressionReport& r, bool saturated) {
  std::vector<Effect> effects = r.effects;
  const auto size = [&](const Effect& e) { return size_of(e, saturated); };
  effects.erase(std::remove_if(effects.begin(), effects.end(),
                               [&](const Effect& e) { return !std::isfinite(size(e)); }),
                effects.end());
  if (effects.empty())
    throw Error("there is no effect with a finite size to draw", "draw effects",
                "look at renth fit polynomial");
  std::stable_sort(effects.begin(), effects.end(),
                   [&](const Effect& a, const Effect& b) { return size(a) > size(b); });
  return effects;
}

/// The left panel. \param bound, all  lines of significance; NaN: none.
void draw_bars(Gnuplot& g, double widest, std::size_t shown, const std::string& tics, const std::string& what,
               double bound, double all) {
  g.line(fmt::format(
      "set xrange [0:{}]\nset yrange [{}:0.7]\nset ytics ({})\nset grid noytics\nset xlabel {} offset 0,0.4",
      widest, -double(shown) + 0.3, tics, what));
  if (std::isfinite(bound))
    g.line(fmt::format("set arrow 1 from {0},graph 0 to {0},graph 1 nohead dt 2 lw 1.6 lc rgb '{1}' front",
                       bound, colour::accent));
  if (std::isfinite(all))
    g.line(fmt::format("set arrow 2 from {0},graph 0 to {0},graph 1 nohead lw 1.6 lc rgb '{1}' front", all,
                       colour::accent));
  g.line(
      fmt::format("plot $active using 1:2:(0):1:($2-0.36):($2+0.36) with boxxyerror fc rgb '{}', "
                  "$idle using 1:2:(0):1:($2-0.36):($2+0.36) with boxxyerror fc rgb '{}'",
                  colour::main, colour::band));
  g.line(
      "unset arrow\nunset label 1001\nunset label 1002\nunset label 1003\nset ytics autofreq\nset grid "
      "ytics");
}

void label_active(Gnuplot& g, const std::vector<Effect>& effects,
                  const std::vector<std::vector<double>>& points) {
  for (std::size_t k = 0; k < effects.size() && k < 12; ++k) {
    if (!effects[k].active) continue;
    // Beside the point where there is room for words.
    const bool left = points[k][0] > 0.45 * points[0][0];
    g.line(fmt::format("set label {} {} at first {},{} {} font ',11' tc rgb '{}'", 100 + k,
                       quote(effects[k].term), points[k][0], points[k][1],
                       left ? "right offset -0.8,0.3" : "left offset 0.9,0.3", colour::ink));
  }
}

/// Left: the effects as bars, largest first, with the line of significance (Lenth's margins when there is no
/// error estimate); right: the same on half-normal paper, where noise lies on a line.
Gnuplot draw_effects(const Study& study, const ModelResult& m, double level) {
  const RegressionReport& r = *m.quality.regression;
  const Response& response = study.responses[study.response(m.response)];
  const bool saturated = !(m.polynomial->state().degrees_of_freedom > 0);
  const std::vector<Effect> effects = finite_effects(r, saturated);
  const auto size = [&](const Effect& e) { return size_of(e, saturated); };
  constexpr std::size_t most = 25;
  const std::size_t shown = std::min(most, effects.size());
  std::vector<std::vector<double>> active, idle, points;
  std::string tics;
  for (std::size_t k = 0; k < shown; ++k) {
    const double y = -double(k);
    (effects[k].active ? active : idle).push_back({size(effects[k]), y});
    tics += fmt::format(
        "{}{} {}", k ? ", " : "",
        quote(effects[k].term + ((saturated ? effects[k].value : effects[k].t) < 0 ? " −" : " +")), y);
  }
  // Half-normal quantiles, smallest first.
  const double n = double(effects.size());
  for (std::size_t k = 0; k < effects.size(); ++k)
    points.push_back({normal_quantile(0.5 + 0.5 * (n - double(k) - 0.5) / n), size(effects[k]),
                      effects[k].active ? 1.0 : 0.0});
  Gnuplot g;
  begin_panels(g, 2, fmt::format("{}: which terms matter", with_unit(response.title(), response.unit)),
               saturated ? fmt::format("no error estimate: lines are Lenth's margins at {:.0f} %, dashed for "
                                       "one effect, solid for all "
                                       "together; filled dark: beyond the margin",
                                       100 * level)
                         : fmt::format("coefficient over its standard error; dashed: significant at {:.0f} "
                                       "%; filled dark: beyond it",
                                       100 * (1 - level)),
               0.17);
  g.block("active", active).block("idle", idle).block("points", points);
  const double bound = saturated ? r.lenth.margin : r.bound, all = r.lenth.simultaneous_margin;
  const double widest = 1.08 * std::max({size(effects.front()), std::isfinite(bound) ? bound : 0,
                                         saturated && std::isfinite(all) ? all : 0});
  const std::string what = quote(saturated ? "|effect|" : "|t|");
  draw_bars(g, widest, shown, tics, what, bound, saturated ? all : NAN);
  g.line(
      fmt::format("set xrange [0:*]\nset yrange [0:{}]\nset xlabel 'half-normal quantile' offset 0,0.4\nset "
                  "ylabel {} offset -1,0",
                  widest, what));
  label_active(g, effects, points);
  // The size of noise as a line through nought: its slope is the standard error.
  const double noise = saturated ? r.lenth.pseudo_error : 1;
  g.line(fmt::format(
      "plot {}*x lw 1 lc rgb '{}', $points using 1:($3>0 ? $2 : NaN) with points pt 7 ps 1.1*ps lc rgb "
      "'{}', $points using 1:($3>0 ? NaN : $2) with points pt 6 ps 1.1*ps lc rgb '{}'",
      std::isfinite(noise) ? noise : 0, colour::quiet, colour::main, colour::main));
  end_panels(g);
  return g;
}

}  // namespace

Gnuplot figure_effects(Session& session, const DrawingOptions& options, Notes& notes) {
  const ModelResult m = one_polynomial(session, options, notes);
  return draw_effects(session.study, m, options.level);
}

}  // namespace renth
