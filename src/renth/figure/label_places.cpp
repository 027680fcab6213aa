#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <renth/figure/label_places.hpp>

namespace renth {
namespace {

using Eigen::Vector2d;

/// Where a line of equal value crosses the edges of the grid, in pixels, with the square that it enters.
struct Crossing {
  Vector2d at;
  int cell;
};

std::vector<Crossing> crossings_of(const std::vector<float>& values, int columns, int rows, double level,
                                   const Canvas& canvas) {
  std::vector<Crossing> out;
  const double dx = canvas.width / (columns - 1), dy = canvas.height / (rows - 1);
  const auto at = [&](int c, int r) {
    return double(values[std::size_t(r) * std::size_t(columns) + std::size_t(c)]);
  };
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) {
      const double here = at(c, r) - level;
      const auto edge = [&](int c2, int r2) {
        if (c2 >= columns || r2 >= rows) return;
        const double there = at(c2, r2) - level;
        if (!(here * there <= 0) || here == there) return;  // also where one of them is nothing
        const double share = here / (here - there);
        const int cell = std::min(r, rows - 2) * columns + std::min(c, columns - 2);
        out.push_back({{(c + share * (c2 - c)) * dx, (r + share * (r2 - r)) * dy}, cell});
      };
      edge(c + 1, r);
      edge(c, r + 1);
    }
  return out;
}

/// The pieces of a line: crossings whose squares touch.
std::vector<std::vector<Vector2d>> pieces_of(const std::vector<Crossing>& crossings, int columns, int rows) {
  std::vector<std::vector<std::size_t>> in_cell(std::size_t(columns) * std::size_t(rows));
  for (std::size_t i = 0; i < crossings.size(); ++i) in_cell[std::size_t(crossings[i].cell)].push_back(i);
  std::vector<char> seen(crossings.size(), 0);
  std::vector<std::vector<Vector2d>> out;
  for (std::size_t first = 0; first < crossings.size(); ++first) {
    if (seen[first]) continue;
    std::vector<std::size_t> todo = {first};
    seen[first] = 1;
    out.emplace_back();
    while (!todo.empty()) {
      const std::size_t i = todo.back();
      todo.pop_back();
      out.back().push_back(crossings[i].at);
      const int c = crossings[i].cell % columns, r = crossings[i].cell / columns;
      for (int r2 = std::max(0, r - 1); r2 <= std::min(rows - 1, r + 1); ++r2)
        for (int c2 = std::max(0, c - 1); c2 <= std::min(columns - 1, c + 1); ++c2)
          for (const std::size_t k : in_cell[std::size_t(r2) * std::size_t(columns) + std::size_t(c2)])
            if (!seen[k]) seen[k] = 1, todo.push_back(k);
    }
  }
  return out;
}

double from_border(const Vector2d& p, const Canvas& canvas) {
  return std::min({p.x(), p.y(), canvas.width - p.x(), canvas.height - p.y()});
}

/// Labels are wider than high: across, less is near.
double distance(const Vector2d& a, const Vector2d& b) {
  return std::hypot(0.6 * (a.x() - b.x()), a.y() - b.y());
}

}  // namespace

void add_line_labels(const std::vector<float>& values, int columns, int rows,
                     const std::vector<double>& levels, const Eigen::MatrixX2d& points, const Canvas& canvas,
                     std::vector<LineLabel>& labels) {
  constexpr double shortest = 60, far = 700, border = 22, near_point = 13, near_label = 34, apart = 300;
  std::vector<Vector2d> avoid, taken;
  for (Eigen::Index i = 0; i < points.rows(); ++i) avoid.push_back(canvas.pixel(points(i, 0), points(i, 1)));
  for (const LineLabel& l : labels) taken.push_back(canvas.pixel(l.x, l.y));
  const double step = std::max(canvas.width / (columns - 1), canvas.height / (rows - 1));
  for (const double level : levels)
    for (const auto& piece : pieces_of(crossings_of(values, columns, rows, level, canvas), columns, rows)) {
      const double length = 0.6 * step * double(piece.size());  // about two crossings a square
      if (length < shortest) continue;
      std::vector<Vector2d> mine;
      for (const bool second : {false, true}) {
        if (second && (length < far || mine.empty())) break;
        double best = 0;
        std::optional<Vector2d> place;
        for (const Vector2d& p : piece) {
          double room = std::min(from_border(p, canvas) / border, 4.0);
          for (const Vector2d& q : taken) room = std::min(room, distance(p, q) / near_label);
          for (const Vector2d& q : mine) room = std::min(room, (p - q).norm() / apart);
          // There can be thousands: no farther than it takes to know that another place is better.
          for (auto q = avoid.begin(); q != avoid.end() && room > best; ++q)
            room = std::min(room, distance(p, *q) / near_point);
          if (room > best) best = room, place = p;
        }
        if (!place || best < 1) break;
        mine.push_back(*place);
        taken.push_back(*place);
        labels.push_back({canvas.x_of(place->x()), canvas.y_of(place->y()), level});
      }
    }
}

std::string plotted_labels(Gnuplot& g, const std::string& block, const std::vector<LineLabel>& labels,
                           const char* ink) {
  if (labels.empty()) return "";  // gnuplot 5.4 crashes on labels without a single one
  std::vector<std::vector<double>> rows;
  for (const LineLabel& l : labels) rows.push_back({l.x, l.y, l.value});
  g.block(block, rows);
  return fmt::format(", ${} using 1:2:(sprintf('%g',$3)) with labels boxed font ',10' tc rgb '{}'", block,
                     ink);
}

Eigen::Vector2d label_place(const Eigen::Vector2d& at, const Eigen::MatrixX2d& points, const Canvas& canvas,
                            std::vector<Eigen::Vector2d>& taken, double radius) {
  constexpr double border = 6;
  const double across = 17 + radius, along = 14 + radius;
  const Vector2d p = canvas.pixel(at.x(), at.y());
  double best = -1;
  Vector2d place = p;
  for (const Vector2d& way : {Vector2d(1, 0.45), Vector2d(-1, 0.45), Vector2d(1, -0.45), Vector2d(-1, -0.45),
                              Vector2d(0, 1), Vector2d(0, -1)}) {
    const Vector2d q = p + Vector2d(across * way.x(), along * way.y());
    double room = from_border(q, canvas) < border ? 0 : 40;
    for (Eigen::Index i = 0; i < points.rows(); ++i) {
      const Vector2d other = canvas.pixel(points(i, 0), points(i, 1));
      if ((other - p).norm() > 1e-9) room = std::min(room, distance(q, other));
    }
    for (const Vector2d& t : taken) room = std::min(room, distance(q, canvas.pixel(t.x(), t.y())));
    if (room > best) best = room, place = q;
  }
  taken.emplace_back(canvas.x_of(place.x()), canvas.y_of(place.y()));
  return taken.back();
}

}  // namespace renth
