#include <doctest/doctest.h>

#include <cmath>
#include <renth/figure/label_places.hpp>

using namespace renth;

namespace {

constexpr int columns = 200, rows = 150;
const Canvas canvas{0, 2, 0, 1, 900, 600};

/// f on a regular grid over the canvas.
template <class F>
std::vector<float> field(const F& f) {
  std::vector<float> out;
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) out.push_back(float(f(2.0 * c / (columns - 1), 1.0 * r / (rows - 1))));
  return out;
}

Eigen::MatrixX2d scattered(int n) {
  Eigen::MatrixX2d out(n, 2);
  for (int i = 0; i < n; ++i)
    out.row(i) << 2 * std::fmod(0.618034 * i + 0.1, 1), std::fmod(0.754878 * i + 0.3, 1);
  return out;
}

}  // namespace

TEST_CASE("values of lines stand on their lines, off the border, points and one another") {
  const auto f = [](double x, double y) { return std::hypot(x - 0.7, 1.5 * y - 0.6); };
  const Eigen::MatrixX2d points = scattered(40);
  const std::vector<double> levels = {0.2, 0.4, 0.6, 0.8, 1.0};
  std::vector<LineLabel> labels;
  add_line_labels(field(f), columns, rows, levels, points, canvas, labels);
  for (const double level : levels)
    CHECK(std::any_of(labels.begin(), labels.end(), [&](const LineLabel& l) { return l.value == level; }));
  for (std::size_t i = 0; i < labels.size(); ++i) {
    const LineLabel& l = labels[i];
    CHECK(f(l.x, l.y) == doctest::Approx(l.value).epsilon(0.01));
    const Eigen::Vector2d p = canvas.pixel(l.x, l.y);
    CHECK(std::min({p.x(), p.y(), 900 - p.x(), 600 - p.y()}) >= 22);
    for (Eigen::Index k = 0; k < points.rows(); ++k)
      CHECK((canvas.pixel(points(k, 0), points(k, 1)) - p).norm() >= 13);
    for (std::size_t k = 0; k < i; ++k) CHECK((canvas.pixel(labels[k].x, labels[k].y) - p).norm() >= 34);
  }
}

TEST_CASE("each piece of a line has its value; where there is nothing, none") {
  // Two rings of the same level, the left half of the picture empty in the second case.
  const auto two = [](double x, double y) {
    return std::min(std::hypot(x - 0.5, y - 0.5), std::hypot(x - 1.5, y - 0.5));
  };
  std::vector<LineLabel> labels;
  add_line_labels(field(two), columns, rows, {0.3}, Eigen::MatrixX2d(0, 2), canvas, labels);
  int left = 0, right = 0;
  for (const LineLabel& l : labels) (l.x < 1 ? left : right) += 1;
  CHECK(left >= 1);
  CHECK(right >= 1);
  labels.clear();
  add_line_labels(field([&](double x, double y) { return x < 1 ? NAN : two(x, y); }), columns, rows, {0.3},
                  Eigen::MatrixX2d(0, 2), canvas, labels);
  CHECK(!labels.empty());
  for (const LineLabel& l : labels) CHECK(l.x > 1);
  labels.clear();
  add_line_labels(field([](double, double) { return 1; }), columns, rows, {1, 2}, Eigen::MatrixX2d(0, 2),
                  canvas, labels);
  CHECK(labels.empty());
}

TEST_CASE("the number of a point stands beside it, clear of its neighbours, even in a corner") {
  Eigen::MatrixX2d points(5, 2);
  points << 1, 0.5, 1.02, 0.51, 1.02, 0.49, 2, 1, 0, 0;
  std::vector<Eigen::Vector2d> taken;
  for (const int i : {0, 3, 4}) {
    const Eigen::Vector2d at = label_place(points.row(i).transpose(), points, canvas, taken);
    const Eigen::Vector2d p = canvas.pixel(at.x(), at.y());
    CHECK((p - canvas.pixel(points(i, 0), points(i, 1))).norm() < 30);
    for (int k = 0; k < 5; ++k) CHECK((p - canvas.pixel(points(k, 0), points(k, 1))).norm() >= 12);
    CHECK(p.x() > 0);
    CHECK(p.x() < 900);
    CHECK(p.y() > 0);
    CHECK(p.y() < 600);
  }
  CHECK(taken.size() == 3);
}
