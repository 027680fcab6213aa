#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/figure/figures.hpp>
#include <renth/figure/layout.hpp>

namespace renth {
namespace {

/// A regular grid over two parameters, the others held (columns fastest).
Eigen::MatrixXd grid_points(const Space& space, Eigen::Index x, Eigen::Index y, const Eigen::VectorXd& at,
                            int columns, int rows) {
  Eigen::MatrixXd out = at.transpose().replicate(Eigen::Index(columns) * rows, 1);
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) {
      out(Eigen::Index(r) * columns + c, x) =
          space[x].low + (space[x].high - space[x].low) * c / (columns - 1);
      out(Eigen::Index(r) * columns + c, y) = space[y].low + (space[y].high - space[y].low) * r / (rows - 1);
    }
  return out;
}

}  // namespace

Gnuplot draw_contour(const Study& study, const Response& response, Eigen::Index x, Eigen::Index y,
                     const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& mean,
                     const std::function<bool(const Eigen::VectorXd&)>& inside, const Eigen::MatrixXd& runs) {
  const Space& space = study.space;
  for (const Eigen::Index j : {x, y})
    if (!space[j].is_between())
      throw Error(space[j].name + " has nothing between its values, so there is no contour over it",
                  "draw contour", "use draw slices, or hold it: --at " + space[j].name + "=…");
  if (x == y)
    throw Error("both axes are " + space[x].name, "draw contour", "name two parameters: --x A --y B");
  constexpr int columns = 420, rows = 320, coarse_columns = 48, coarse_rows = 36;
  Eigen::MatrixXd points = grid_points(space, x, y, at, columns, rows);
  const Eigen::VectorXd value = mean(points);
  std::vector<float> image;
  std::vector<std::vector<double>> lines;
  double low = INFINITY, high = -INFINITY;
  bool forbidden = false;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    const bool allowed = space.allows(points.row(i).transpose());
    image.push_back(allowed ? static_cast<float>(value[i]) : std::numeric_limits<float>::quiet_NaN());
    forbidden = forbidden || !allowed;
    if (allowed) low = std::min(low, value[i]), high = std::max(high, value[i]);
    if (i > 0 && i % columns == 0) lines.push_back({});
    lines.push_back({points(i, x), points(i, y), allowed ? value[i] : NAN});
  }
  if (!(low < high))
    throw Error(std::isfinite(low) ? "the response is flat over these two parameters"
                                   : "the limits forbid the whole picture",
                "draw contour", "hold the other parameters elsewhere with --at");
  const Eigen::MatrixXd coarse = grid_points(space, x, y, at, coarse_columns, coarse_rows);
  std::vector<std::vector<double>> outside;
  for (Eigen::Index i = 0; i < coarse.rows(); ++i)
    if (space.allows(coarse.row(i).transpose()) && !inside(coarse.row(i).transpose()))
      outside.push_back({coarse(i, x), coarse(i, y)});
  std::vector<std::vector<double>> dots;
  for (Eigen::Index i = 0; i < runs.rows(); ++i) dots.push_back({runs(i, x), runs(i, y)});

  Gnuplot g;
  const Parameter &px = space[x], &py = space[y];
  const double dx = (px.high - px.low) / (columns - 1), dy = (py.high - py.low) / (rows - 1),
               step = round_step((high - low) / 9);
  const std::string picture = g.image(image, columns, rows, px.low, dx, py.low, dy);
  g.block("grid", lines).block("outside", outside).block("runs", dots).block("at", {{at[x], at[y]}});
  head(
      g, axis_label(response.title(), response.unit),
      fmt::format("held: {}; orange: the setting held; circles: runs, wherever their other parameters were{}",
                  held_values(study, at, {x, y}),
                  std::string(outside.empty() ? "" : "; dots: outside what the runs cover") +
                      (forbidden ? "; white: forbidden by a limit" : "")));
  g.line(
      fmt::format("set contour base\nset cntrparam levels incremental {},{},{}\nset cntrlabel "
                  "onecolor\nunset surface\nset table $contours\nsplot $grid using 1:2:3 with lines\nunset "
                  "table\nunset contour\nset surface",
                  std::ceil(low / step) * step, step, high));
  g.line(fmt::format(
      "set xrange [{}:{}]\nset yrange [{}:{}]\nset xlabel {}\nset ylabel {}\nset cbrange [{}:{}]\nset "
      "cblabel {} offset 1,0\nset colorbox user origin 0.885,0.11 size 0.022,0.75 noborder\nset cbtics scale "
      "0\nunset grid",
      px.low, px.high, py.low, py.high, quote(axis_label(px.title(), px.unit)),
      quote(axis_label(py.title(), py.unit)), low, high, quote(axis_label(response.title(), response.unit))));
  g.line("set style textbox opaque fillcolor rgb '#ffffff' noborder margins 0.6,0.4");
  g.line(fmt::format(
      "plot {} with image, $contours using 1:2 with lines lw 0.9 lc rgb 'white', "
      "$contours using 1:2:(sprintf('%g',$3)) every 300::60 with labels boxed font ',10' tc rgb '{}', "
      "$outside using 1:2 with points pt 7 ps 0.3*ps lc rgb '#5a6570', "
      "$runs using 1:2 with points pt 6 ps 0.9*ps lw 1 lc rgb '#000000', $at using 1:2 with points pt 7 ps "
      "1.5*ps lc rgb '{}'",
      picture, colour::ink, colour::accent));
  return g;
}

}  // namespace renth
