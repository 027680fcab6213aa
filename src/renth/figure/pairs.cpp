#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/error.hpp>
#include <renth/figure/layout.hpp>
#include <renth/figure/parts.hpp>
#include <renth/workflow/assessing.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Coordinates for drawing: repeated points of discrete columns are moved apart on a small ring.
std::vector<std::pair<double, double>> places(const Eigen::MatrixXd& points, Index x, Index y,
                                              const Space& space) {
  struct Seen {
    int same = 0, before = 0;
  };
  std::map<std::pair<double, double>, Seen> seen;
  for (Index i = 0; i < points.rows(); ++i) ++seen[{points(i, x), points(i, y)}].same;
  const auto width = [&](Index j) {
    const Parameter& p = space[j];
    return p.is_choice() ? double(p.choices.size()) - 1 : p.high - p.low;
  };
  std::vector<std::pair<double, double>> out;
  for (Index i = 0; i < points.rows(); ++i) {
    Seen& at = seen[{points(i, x), points(i, y)}];
    if (at.same == 1) {
      out.emplace_back(points(i, x), points(i, y));
      continue;
    }
    const double angle = 2.399963 * at.before, radius = 0.05 * std::sqrt((at.before + 0.5) / at.same);
    ++at.before;
    out.emplace_back(points(i, x) + radius * width(x) * std::cos(angle),
                     points(i, y) + radius * width(y) * std::sin(angle));
  }
  return out;
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

const int shapes[] = {7, 5, 9, 11, 13, 4};

void pair_panel(Gnuplot& g, const Space& space, const Eigen::MatrixXd& points,
                const std::vector<std::string>& origins, const std::vector<std::string>& kinds, Index row,
                Index column) {
  const Index d = space.size();
  const double size_x = 0.90 / double(d - 1), size_y = 0.755 / double(d - 1), size = d > 6 ? 0.6 : 0.9;
  const std::string block = fmt::format("p{}_{}", row, column);
  const auto at = places(points, column, row, space);
  std::string plot;
  for (std::size_t k = 0; k < kinds.size(); ++k) {
    std::vector<std::vector<double>> rows;
    for (std::size_t i = 0; i < at.size(); ++i)
      if (origins[i] == kinds[k]) rows.push_back({at[i].first, at[i].second});
    g.block(fmt::format("{}_{}", block, k), rows);
    plot += fmt::format("{}${}_{} using 1:2 with points pt {} ps {}*ps lc rgb '{}'", k ? ", " : "plot ",
                        block, k, shapes[k % 6], size, colour::of_kind[k % 6]);
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
      row == d - 1 ? quote(with_unit(space[column].title(), space[column].unit)) : "''",
      column == 0 ? quote(d > 4 ? space[row].title() : with_unit(space[row].title(), space[row].unit)) : "''",
      d > 4 ? 10 : 12));
  g.line(plot);
}

/// All projections on two parameters, marked by origin. Choices and levels are spread a little where runs
/// would hide one another. \throws Error  more than 10 parameters.
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
  Gnuplot g;
  g.line("set multiplot");
  head(g, fmt::format("Every two parameters of {}", name),
       fmt::format("{} runs; runs that coincide in a panel are drawn side by side", points.rows()));
  double at = 0.60;
  for (std::size_t k = 0; k < kinds.size(); ++k, at += 0.075)
    g.line(
        fmt::format("set label {} {} at screen {},0.80 left offset 1.2,0 font ',12' point pt {} ps 1.3*ps lc "
                    "rgb '{}' front",
                    900 + k, quote(kinds[k]), at, shapes[k % 6], colour::of_kind[k % 6]));
  for (Index row = 1; row < d; ++row)
    for (Index column = 0; column < row; ++column) {
      pair_panel(g, space, points, origins, kinds, row, column);
      if (row == 1 && column == 0) forget_head(g);
      if (row == 1 && column == 0)
        for (std::size_t k = 0; k < kinds.size(); ++k) g.line(fmt::format("unset label {}", 900 + k));
    }
  g.line("unset multiplot");
  return g;
}

}  // namespace

Gnuplot figure_pairs(Session& session, const DrawingOptions& o, Notes&) {
  const PlanSource source = find_plan(session, o.batch);
  return draw_pairs(session.study, source.name, source.points, source.origins);
}

}  // namespace renth
