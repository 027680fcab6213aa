#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/figure/field.hpp>
#include <renth/figure/label_places.hpp>
#include <renth/figure/layout.hpp>

namespace renth {

using Index = Eigen::Index;

Eigen::MatrixXd grid_points(const Space& space, Index x, Index y, const Eigen::VectorXd& at, int columns,
                            int rows) {
  Eigen::MatrixXd out = at.transpose().replicate(Index(columns) * rows, 1);
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) {
      out(Index(r) * columns + c, x) = space[x].low + (space[x].high - space[x].low) * c / (columns - 1);
      out(Index(r) * columns + c, y) = space[y].low + (space[y].high - space[y].low) * r / (rows - 1);
    }
  return out;
}

Field::Field(const Space& space, Index x, Index y, const Eigen::VectorXd& at, int columns, int rows,
             const std::function<Eigen::VectorXd(Points)>& value, const std::string& figure,
             const std::string& remedy)
    : space_(space), x_(x), y_(y), at_(at), columns_(columns), rows_(rows) {
  for (const Index j : {x, y})
    if (!space[j].is_between())
      throw Error(space[j].name + " has nothing between its values, so there is no contour over it", figure,
                  fmt::format(fmt::runtime(remedy), space[j].name));
  if (x == y) throw Error("both axes are " + space[x].name, figure, "name two parameters: --x A --y B");
  const Eigen::MatrixXd points = grid_points(space, x, y, at, columns, rows);
  const Eigen::VectorXd values = value(points);
  for (Index i = 0; i < points.rows(); ++i) {
    const bool allowed = space.allows(points.row(i).transpose());
    image_.push_back(allowed ? static_cast<float>(values[i]) : std::numeric_limits<float>::quiet_NaN());
    forbidden = forbidden || !allowed;
    allowed_ += allowed;
    if (allowed) low = std::min(low, values[i]), high = std::max(high, values[i]);
    if (i > 0 && i % columns == 0) lines_.push_back({});
    lines_.push_back({points(i, x), points(i, y), allowed ? values[i] : NAN});
  }
}

void Field::need_places(const std::string& figure) const {
  constexpr int fewest = 50;  // of some hundred thousand: fewer cannot be seen
  if (allowed_ >= fewest) return;
  throw Error(allowed_ == 0 ? "the limits forbid the whole picture"
                            : "the limits leave next to nothing of the picture",
              figure, "hold the other parameters elsewhere with --at");
}

void Field::need_relief(const std::string& figure) const {
  need_places(figure);
  if (!(low < high))
    throw Error("the response is flat over these two parameters", figure,
                "hold the other parameters elsewhere with --at");
}

std::string Field::add_to(Gnuplot& g, double step, const Eigen::MatrixXd& runs) const {
  const Parameter &px = space_[x_], &py = space_[y_];
  std::vector<std::vector<double>> dots;
  for (Index i = 0; i < runs.rows(); ++i) dots.push_back({runs(i, x_), runs(i, y_)});
  g.block("grid", lines_).block("runs", dots).block("at", {{at_[x_], at_[y_]}});
  g.line(
      fmt::format("set contour base\nset cntrparam levels incremental {},{},{}\nset cntrlabel "
                  "onecolor\nunset surface\nset table $contours\nsplot $grid using 1:2:3 with lines\nunset "
                  "table\nunset contour\nset surface",
                  std::ceil(low / step) * step, step, high));
  return g.image(image_, columns_, rows_, px.low, (px.high - px.low) / (columns_ - 1), py.low,
                 (py.high - py.low) / (rows_ - 1));
}

std::string Field::add_line_values(Gnuplot& g, double step, const Eigen::MatrixXd& runs, double width) const {
  const Parameter &px = space_[x_], &py = space_[y_];
  Eigen::MatrixX2d avoid(runs.rows() + 1, 2);
  avoid.col(0).head(runs.rows()) = runs.col(x_);
  avoid.col(1).head(runs.rows()) = runs.col(y_);
  avoid.row(runs.rows()) << at_[x_], at_[y_];
  const double first = std::ceil(low / step) * step;
  std::vector<double> levels;
  constexpr int most = 60;
  for (int k = 0; k < most && first + k * step < high; ++k) levels.push_back(first + k * step);
  std::vector<LineLabel> labels;
  add_line_labels(image_, columns_, rows_, levels, avoid, {px.low, px.high, py.low, py.high, width}, labels);
  return plotted_labels(g, "values", labels, colour::ink);
}

std::string Field::axes(double most) const {
  const Parameter &px = space_[x_], &py = space_[y_];
  return fmt::format(
      "set xrange [{}:{}]\nset yrange [{}:{}]\nset xlabel {}\nset ylabel {}\nset cbrange [{}:{}]\nset cbtics "
      "scale 0\nunset grid\nset style textbox opaque fillcolor rgb '#ffffff' noborder margins 0.6,0.4",
      px.low, px.high, py.low, py.high, quote(with_unit(px.title(), px.unit)),
      quote(with_unit(py.title(), py.unit)), low, most);
}

}  // namespace renth
