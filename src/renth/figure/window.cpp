#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/text.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

const Window& window_shown(const WindowAnswer& a) {
  if (a.result.by_hand) return *a.result.by_hand;
  if (!a.result.window)
    throw Error(
        fmt::format("no box of settings has {:.4g} % in specification", 100 * a.result.target), "draw",
        fmt::format("ask for less: --within {:.2g} is about the most", std::max(0.01, a.result.most_within)));
  return *a.result.window;
}

/// How much room is left as more and more is in specification.
void steps_panel(Gnuplot& g, const WindowAnswer& a, const Window& window) {
  std::vector<std::vector<double>> rows;
  double least = 100 * window.volume;
  for (const WindowStep& s : a.result.steps) {
    rows.push_back({100 * s.window.within.value, 100 * s.window.volume});
    least = std::min(least, rows.back()[1]);
  }
  g.block("steps", rows).block("found", {{100 * window.within.value, 100 * window.volume}});
  g.line(
      "set lmargin at screen 0.075\nset rmargin at screen 0.44\nset tmargin at screen 0.80\nset bmargin at "
      "screen 0.115");
  g.line(
      fmt::format("set title 'Room left against what is in specification' offset 0,-0.3\nset xlabel "
                  "'settings in specification "
                  "[%]'\nset ylabel 'of the region [%]' offset 1,0\nset logscale y\nset format y '%g'\nset "
                  "xrange [0:102]\nset yrange "
                  "[{}:150]\nset arrow 1 from {},graph 0 to {},graph 1 nohead lw 1.6 dt (8,4) lc rgb '{}'",
                  std::pow(10, std::floor(std::log10(std::max(1e-12, least)))), 100 * a.result.target,
                  100 * a.result.target, colour::accent));
  g.line(
      fmt::format("plot $steps using 1:2 with linespoints pt 7 ps 0.6*ps lw 1.8 lc rgb '{}', $found using "
                  "1:2 with points pt 13 ps 2.6*ps lc rgb '{}'",
                  colour::main, colour::accent));
  g.line("unset arrow 1\nunset logscale y\nunset title");
  forget_head(g);
}

/// Each parameter's span, and the window on it.
void ranges_panel(Gnuplot& g, const Study& study, const WindowAnswer& a, const Window& window) {
  std::vector<std::vector<double>> rows;
  std::string tics;
  for (std::size_t k = 0; k < a.result.moving.size(); ++k) {
    const Parameter& p = study.space[a.result.moving[k]];
    const Index j = a.result.moving[k];
    const double y = -double(k), width = p.high - p.low;
    rows.push_back({y, (window.low[j] - p.low) / width, (window.high[j] - p.low) / width});
    tics += fmt::format("{}{} {}", k ? ", " : "", quote(shortened(p.title(), 24)), y);
    const bool left = rows.back()[1] < 0.5;
    g.line(fmt::format(
        "set label {} {} at first {},{} {} font ',12' tc rgb '{}' front", 1 + k,
        quote(window.low[j] < window.high[j] ? fmt::format("{} … {}", pretty(window.low[j], 4),
                                                           with_unit(pretty(window.high[j], 4), p.unit))
                                             : with_unit(pretty(window.low[j], 4), p.unit)),
        left ? rows.back()[1] : rows.back()[2], y + 0.33, left ? "left" : "right", colour::ink));
  }
  g.block("ranges", rows);
  g.line(
      "set lmargin at screen 0.60\nset rmargin at screen 0.965\nset tmargin at screen 0.80\nset bmargin at "
      "screen 0.115");
  g.line(
      fmt::format("set title 'The window on each span' offset 0,-0.3 tc rgb '#22303c'\nset xrange "
                  "[-0.02:1.02]\nset yrange "
                  "[{}:0.7]\nset ytics ({})\nset xtics ('low "
                  "end' 0, '' 0.25, 'middle' 0.5, '' 0.75, 'high end' 1)\nset format x '%g'\nunset "
                  "ylabel\nunset xlabel\nset grid noytics",
                  -double(rows.size()) + 0.4, tics));
  g.line(fmt::format(
      "plot $ranges using (0):1:(0):(1):($1-0.07):($1+0.07) with boxxyerror fs solid fc rgb "
      "'#d9dee3' lc rgb '#d9dee3', $ranges using "
      "2:1:2:($3>$2?$3:$2+0.006):($1-0.17):($1+0.17) with boxxyerror fs solid fc rgb '{0}' lc rgb '{0}'",
      colour::main));
}

/// Up to so many settings of a sort, as they come.
std::vector<std::vector<double>> some(const WindowAnswer& a, Index x, Index y, bool in, std::size_t most) {
  std::vector<std::vector<double>> out;
  for (std::size_t i = 0; i < a.result.pass.size() && out.size() < most; ++i)
    if (bool(a.result.pass[i]) == in)
      out.push_back({a.result.sample(Index(i), x), a.result.sample(Index(i), y)});
  if (out.empty()) out.push_back({NAN, NAN});
  return out;
}

}  // namespace

/// The operating window: what room is left, and where it lies.
Gnuplot figure_window(Session& session, const DrawingOptions& options, Notes& notes) {
  const WindowAnswer a = window_of(session, window_asked(options));
  notes = a.notes;
  const Window& window = window_shown(a);
  Gnuplot g;
  g.line("set multiplot");
  head(g,
       fmt::format("Operating window: {:.2f} % of its settings in specification", 100 * window.within.value),
       fmt::format("it is {:.3g} % of the region{}; line: taking in a side at a time, diamond: the largest "
                   "window found; {}",
                   100 * window.volume, a.scatter ? ", scatter included" : "",
                   held_values(session.study, window.low, a.result.moving)));
  steps_panel(g, a, window);
  ranges_panel(g, session.study, a, window);
  g.line("unset multiplot");
  return g;
}

/// Settings of the region over every two parameters, in and out of specification, with the window.
Gnuplot figure_pass_fail(Session& session, const DrawingOptions& options, Notes& notes) {
  const WindowAnswer a = window_of(session, window_asked(options));
  notes = a.notes;
  const Space& space = session.study.space;
  std::vector<Index> shown = a.result.moving;
  constexpr std::size_t most = 6;
  if (shown.size() > most) {
    add_note(notes, "first_parameters", "the first six parameters are shown");
    shown.resize(most);
  }
  if (shown.size() < 2) throw Error("one parameter has no pairs", "draw pass-fail", "look at draw window");
  const std::optional<Window>& window = a.result.by_hand ? a.result.by_hand : a.result.window;
  double share = 0;
  for (const char in : a.result.pass) share += in ? 1 : 0;
  share /= double(a.result.pass.size());
  Gnuplot g;
  g.line("set multiplot");
  head(g, fmt::format("In and out of specification: {:.3g} % of the region is in", 100 * share),
       fmt::format(
           "dots: settings drawn over the region, dark in, pale out of specification{}; orange: the window{}",
           a.scatter ? ", scatter included" : "",
           window ? fmt::format(", of which {:.2f} % is in", 100 * window->within.value)
                  : " (none was found)"));
  const auto n = shown.size();
  const double size_x = 0.885 / double(n - 1), size_y = 0.755 / double(n - 1);
  for (std::size_t row = 1; row < n; ++row)
    for (std::size_t column = 0; column < row; ++column) {
      const Index x = shown[column], y = shown[row];
      const Parameter &px = space[x], &py = space[y];
      const std::string block = fmt::format("pf{}_{}", row, column);
      const std::size_t dots = n > 3 ? 700 : 1500;
      g.block(block + "in", some(a, x, y, true, dots)).block(block + "out", some(a, x, y, false, dots));
      const double x0 = 0.095 + double(column) * size_x, y1 = 0.855 - double(row - 1) * size_y;
      g.line(
          fmt::format("set lmargin at screen {}\nset rmargin at screen {}\nset tmargin at screen {}\nset "
                      "bmargin at screen {}",
                      x0, x0 + size_x - 0.012, y1, y1 - size_y + 0.018));
      const double wx = px.high - px.low, wy = py.high - py.low;
      g.line(fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]", px.low - 0.04 * wx, px.high + 0.04 * wx,
                         py.low - 0.04 * wy, py.high + 0.04 * wy));
      g.line(fmt::format("set format x '{}'\nset format y '{}'\nset xtics {},{},{}\nset ytics {},{},{}",
                         row + 1 == n ? "%g" : "", column == 0 ? "%g" : "", px.low, wx / 2, px.high, py.low,
                         wy / 2, py.high));
      g.line(fmt::format("set xlabel {} offset 0,0.5 font ',12'\nset ylabel {} offset 0.5,0 font ',{}'",
                         row + 1 == n ? quote(with_unit(px.title(), px.unit)) : "''",
                         column == 0 ? quote(n > 4 ? py.title() : with_unit(py.title(), py.unit)) : "''",
                         n > 4 ? 10 : 12));
      if (window) {
        // A single value of what is set in steps is a line; it is drawn a hair wide.
        const double hx = window->high[x] > window->low[x] ? 0 : 0.01 * wx,
                     hy = window->high[y] > window->low[y] ? 0 : 0.01 * wy;
        g.line(fmt::format(
            "set object 1 rectangle from first {},{} to {},{} fs empty border lc rgb '{}' lw 2.4 front",
            window->low[x] - hx, window->low[y] - hy, window->high[x] + hx, window->high[y] + hy,
            colour::accent));
      }
      g.line(
          fmt::format("plot ${0}out using 1:2 with points pt 6 ps 0.35*ps lw 0.6 lc rgb '#c3cad1', ${0}in "
                      "using 1:2 with points pt 7 ps "
                      "0.5*ps lc rgb '{1}'",
                      block, colour::main));
      forget_head(g);
    }
  g.line("unset multiplot");
  return g;
}

}  // namespace renth
