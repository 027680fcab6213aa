#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/error.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/plan_figures.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Coordinates for drawing: repeated points of discrete columns are moved apart on a small ring.
std::pair<double, double> place(const Eigen::MatrixXd& points, Index i, Index x, Index y,
                                const Space& space) {
  int same = 0, before = 0;
  for (Index k = 0; k < points.rows(); ++k)
    if (points(k, x) == points(i, x) && points(k, y) == points(i, y)) {
      ++same;
      before += k < i;
    }
  const auto width = [&](Index j) {
    const Parameter& p = space[j];
    return p.is_choice() ? double(p.choices.size()) - 1 : p.high - p.low;
  };
  if (same == 1) return {points(i, x), points(i, y)};
  const double angle = 2.399963 * before, radius = 0.05 * std::sqrt((before + 0.5) / same);
  return {points(i, x) + radius * width(x) * std::cos(angle),
          points(i, y) + radius * width(y) * std::sin(angle)};
}

std::string range_of(const Parameter& p, const Eigen::VectorXd& values, const char* axis) {
  double low = p.is_choice() ? 0 : p.low, high = p.is_choice() ? double(p.choices.size()) - 1 : p.high;
  low = std::min(low, values.minCoeff()), high = std::max(high, values.maxCoeff());
  return fmt::format("set {}range [{}:{}]", axis, low - 0.1 * (high - low), high + 0.1 * (high - low));
}

std::string tics_of(const Parameter& p, const char* axis, bool shown) {
  if (!p.is_choice())
    return fmt::format("set format {0} '{3}'\nset {0}tics {1},{2},{4}", axis, p.low, (p.high - p.low) / 2,
                       shown ? "%g" : "", p.high);
  std::string tics;
  for (std::size_t c = 0; c < p.choices.size(); ++c)
    tics += fmt::format("{}{} {}", c ? ", " : "", shown ? quote(p.choices[c]) : "''", c);
  return fmt::format("set format {0} '%g'\nset {0}tics ({1})", axis, tics);
}

}  // namespace

Gnuplot draw_pairs(const Study& study, const std::string& name, const Eigen::MatrixXd& points,
                   const std::vector<std::string>& origins) {
  const Space& space = study.space;
  const Index d = space.size();
  if (d > 10)
    throw Error(fmt::format("{} parameters are too many pairs for one picture", d), "draw pairs",
                "draw at most 10");
  if (d < 2) throw Error("one parameter has no pairs", "draw pairs", "look at renth runs");
  std::vector<std::string> kinds;
  for (const std::string& o : origins)
    if (std::find(kinds.begin(), kinds.end(), o) == kinds.end()) kinds.push_back(o);
  std::sort(kinds.begin(), kinds.end());
  const char* colours[] = {colour::main, colour::accent, "#2f8f6b", "#8a4fa0", "#b3893a", "#5a6570"};
  const int shapes[] = {7, 5, 9, 11, 13, 4};
  Gnuplot g;
  g.line("set multiplot");
  head(g, fmt::format("Every two parameters of {}", name),
       fmt::format("{} runs; runs that coincide in a panel are drawn side by side", points.rows()));
  double at = 0.60;
  for (std::size_t k = 0; k < kinds.size(); ++k, at += 0.075)
    g.line(
        fmt::format("set label {} {} at screen {},0.80 left offset 1.2,0 font ',12' point pt {} ps 1.3*ps lc "
                    "rgb '{}' front",
                    900 + k, quote(kinds[k]), at, shapes[k % 6], colours[k % 6]));
  const double size_x = 0.90 / double(d - 1), size_y = 0.755 / double(d - 1), size = d > 6 ? 0.6 : 0.9;
  for (Index row = 1; row < d; ++row)
    for (Index column = 0; column < row; ++column) {
      const std::string block = fmt::format("p{}_{}", row, column);
      std::string plot;
      for (std::size_t k = 0; k < kinds.size(); ++k) {
        std::vector<std::vector<double>> rows;
        for (Index i = 0; i < points.rows(); ++i)
          if (origins[std::size_t(i)] == kinds[k]) {
            const auto [x, y] = place(points, i, column, row, space);
            rows.push_back({x, y});
          }
        g.block(fmt::format("{}_{}", block, k), rows);
        plot += fmt::format("{}${}_{} using 1:2 with points pt {} ps {}*ps lc rgb '{}'", k ? ", " : "plot ",
                            block, k, shapes[k % 6], size, colours[k % 6]);
      }
      const double x0 = 0.085 + double(column) * size_x, y1 = 0.855 - double(row - 1) * size_y;
      g.line(
          fmt::format("set lmargin at screen {}\nset rmargin at screen {}\nset tmargin at screen {}\nset "
                      "bmargin at screen {}",
                      x0, x0 + size_x - 0.012, y1, y1 - size_y + 0.018));
      g.line(range_of(space[column], points.col(column), "x") + "\n" +
             range_of(space[row], points.col(row), "y"));
      g.line(tics_of(space[column], "x", row == d - 1) + "\n" + tics_of(space[row], "y", column == 0));
      g.line(fmt::format(
          "set xlabel {} offset 0,0.5 font ',12'\nset ylabel {} offset 0.5,0 font ',{}'",
          row == d - 1 ? quote(axis_label(space[column].title(), space[column].unit)) : "''",
          column == 0 ? quote(d > 4 ? space[row].title() : axis_label(space[row].title(), space[row].unit))
                      : "''",
          d > 4 ? 10 : 12));
      g.line(plot);
      if (row == 1 && column == 0)
        for (int l : {1001, 1002, 1003}) g.line(fmt::format("unset label {}", l));
      if (row == 1 && column == 0)
        for (std::size_t k = 0; k < kinds.size(); ++k) g.line(fmt::format("unset label {}", 900 + k));
    }
  g.line("unset multiplot");
  return g;
}

Gnuplot draw_correlation(const Study& study, const std::string& name, const Terms& model,
                         const Eigen::MatrixXd& points) {
  const Space& space = study.space;
  Terms terms;
  const Terms more = space.size() <= 8 ? parse_terms(space, "quadratic") : Terms{};
  for (const Terms* list : {&model, &more})
    for (const Term& t : *list)
      if (!t.factors.empty() && std::find(terms.begin(), terms.end(), t) == terms.end()) terms.push_back(t);
  const auto inside =
      Index(std::count_if(model.begin(), model.end(), [](const Term& t) { return !t.factors.empty(); }));
  Eigen::MatrixXd x = model_matrix(space, terms, points);
  x.rowwise() -= x.colwise().mean().eval();
  const auto p = Index(terms.size());
  std::vector<float> image;
  for (Index t = 0; t < p; ++t) {
    const double norm = x.col(t).norm();
    x.col(t) *= norm > 1e-9 ? 1 / norm : 0;
  }
  const Eigen::MatrixXd r = x.transpose() * x;
  std::vector<std::vector<double>> numbers;
  for (Index row = 0; row < p; ++row)
    for (Index column = 0; column < p; ++column) {
      const Index from_top = p - 1 - row;
      image.push_back(r(from_top, from_top) < 0.5 ? 0.0F : float(std::abs(r(from_top, column))));
      if (p <= 28 && from_top != column && std::abs(r(from_top, column)) >= 0.005)
        numbers.push_back({double(column), double(row), r(from_top, column),
                           std::abs(r(from_top, column)) > 0.55 ? 1.0 : 0.0});
    }
  std::string across, upwards;
  for (Index t = 0; t < p; ++t) {
    const std::string label = quote(renth::name(space, terms[std::size_t(t)]));
    across += fmt::format("{}{} {}", t ? ", " : "", label, t);
    upwards += fmt::format("{}{} {}", t ? ", " : "", label, p - 1 - t);
  }
  Gnuplot g;
  const std::string picture = g.image(image, int(p), int(p), 0, 1, 0, 1);
  g.block("numbers", numbers);
  head(g, fmt::format("Which terms {} cannot keep apart", name),
       inside < p ? fmt::format("|correlation| of the columns; the first {} are in the model, those beyond "
                                "the orange line are not: what they do "
                                "is put down to the terms they go with",
                                inside)
                  : "|correlation| of the columns of the model matrix; white is orthogonal, dark is "
                    "indistinguishable");
  g.line(
      "set palette defined (0 '#ffffff', 0.3 '#dbe6f1', 0.6 '#7fa3c8', 1 '#173f69')\nset cbrange [0:1]\nset "
      "colorbox user origin 0.9,0.2 "
      "size 0.015,0.6 noborder\nset cbtics scale 0 0,0.25\nset lmargin at screen 0.16\nset bmargin at screen "
      "0.2\nset rmargin at screen 0.88");
  g.line(
      fmt::format("set xrange [-0.5:{0}]\nset yrange [-0.5:{0}]\nset xtics rotate by 60 right scale 0 font "
                  "',{1}' ({2})\nset ytics scale 0 font ',{1}' "
                  "({3})\nunset grid",
                  double(p) - 0.5,
                  p > 40   ? 7
                  : p > 20 ? 10
                           : 12,
                  across, upwards));
  if (inside < p && inside > 0)
    g.line(
        fmt::format("set arrow 1 from {0},-0.5 to {0},{1} nohead lw 2 lc rgb '{2}' front\nset arrow 2 from "
                    "-0.5,{3} to {1},{3} nohead lw 2 lc rgb "
                    "'{2}' front",
                    double(inside) - 0.5, double(p) - 0.5, colour::accent, double(p - inside) - 0.5));
  g.line(
      fmt::format("plot {} with image, $numbers using 1:2:(sprintf('%.2f',$3)):($4>0?0xffffff:0x22303c) with "
                  "labels font ',{}' tc rgb variable",
                  picture, p > 20 ? 7 : 9));
  return g;
}

Gnuplot draw_sweep(const Study&, const std::string& model, const Sweep& sweep) {
  Gnuplot g;
  std::vector<std::vector<double>> rows, knee, suggested;
  double low = INFINITY, high = -INFINITY, worst = 1;
  for (const SweepLine& l : sweep.lines) {
    rows.push_back({double(l.runs), l.d_efficiency, l.max_vif});
    low = std::min(low, l.d_efficiency), high = std::max(high, l.d_efficiency);
    worst = std::max(worst, l.max_vif);
    if (l.runs == sweep.knee) knee.push_back({double(l.runs), l.d_efficiency});
    if (l.runs == sweep.suggested) suggested.push_back({double(l.runs), l.d_efficiency, l.max_vif});
  }
  g.block("sweep", rows).block("knee", knee).block("suggested", suggested);
  g.line("set multiplot");
  head(g, "How many runs are worth paying for", fmt::format("optimal plans for {}; {}", model, sweep.why));
  const double spare = std::max(1e-4, 0.12 * (high - low)), from = double(sweep.lines.front().runs) - 0.5,
               to = double(sweep.lines.back().runs) + 0.5;
  const std::string mark =
      fmt::format("set arrow 1 from {0}, graph 0 to {0}, graph 1 nohead dt 2 lw 1.4 lc rgb '{1}'",
                  sweep.suggested, colour::accent);
  g.line(
      fmt::format("set lmargin at screen 0.085\nset rmargin at screen 0.965\nset tmargin at screen 0.85\nset "
                  "bmargin at screen 0.43\nset xrange [{}:{}]\nset yrange "
                  "[{}:{}]\nset format x ''\nset ylabel 'D-efficiency of each run'\n{}",
                  from, to, low - spare, high + 1.8 * spare, mark));
  g.line(fmt::format("set label 10 {} at {},{} left offset 1,0.2 tc rgb '{}' front",
                     quote(fmt::format("suggested: {} runs", sweep.suggested)), sweep.suggested, high + spare,
                     colour::accent));
  g.line(
      fmt::format("plot $sweep using 1:2 with linespoints pt 7 ps 0.9*ps lw 2 lc rgb '{0}', $knee using 1:2 "
                  "with points pt 6 ps 2.2*ps lw 2 lc rgb '{1}', "
                  "$knee using 1:2:('knee') with labels offset 3,-1.4 tc rgb '{1}', $suggested using 1:2 "
                  "with points pt 7 ps 1.5*ps lc rgb '{1}'",
                  colour::main, colour::accent));
  g.line("unset label 1001\nunset label 1002\nunset label 1003\nunset label 10");
  g.line(
      fmt::format("set tmargin at screen 0.40\nset bmargin at screen 0.10\nset format x '%g'\nset xlabel "
                  "'runs'\nset yrange [{}:{}]\nset ylabel 'largest variance inflation'",
                  worst < 3 ? 0.9 : 0.0, 1.1 * worst));
  g.line(
      fmt::format("plot $sweep using 1:3 with linespoints pt 7 ps 0.9*ps lw 2 lc rgb '{}', $suggested using "
                  "1:3 with points pt 7 ps 1.5*ps lc rgb '{}'",
                  colour::main, colour::accent));
  g.line("unset multiplot");
  return g;
}

}  // namespace renth
