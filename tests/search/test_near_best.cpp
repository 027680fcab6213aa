#include <doctest/doctest.h>

#include <renth/search/near_best.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

using Margin = std::function<Eigen::VectorXd(Points)>;

Margin each_margin(const std::function<double(const Eigen::VectorXd&)>& f) {
  return [f](Points x) {
    Eigen::VectorXd out(x.rows());
    for (Eigen::Index i = 0; i < x.rows(); ++i) out[i] = f(x.row(i).transpose());
    return out;
  };
}

/// The largest box of a grid round a point in which everything holds, by trying all.
double brute_volume(const Margin& margin, const Eigen::Vector2d& best, int n) {
  Eigen::MatrixXd x(n * n, 2);
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) x.row(i * n + j) << double(i) / (n - 1), double(j) / (n - 1);
  const Eigen::VectorXd m = margin(x);
  Eigen::MatrixXi bad = Eigen::MatrixXi::Zero(n + 1, n + 1);  // summed from the corner
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j)
      bad(i + 1, j + 1) = bad(i, j + 1) + bad(i + 1, j) - bad(i, j) + !(m[i * n + j] >= 0);
  const int bx = int(best[0] * (n - 1)), by = int(best[1] * (n - 1));
  double most = 0;
  for (int a = 0; a <= bx; ++a)
    for (int b = bx + 1; b < n; ++b)
      for (int c = 0; c <= by; ++c)
        for (int d = by + 1; d < n; ++d)
          if (bad(b + 1, d + 1) - bad(a, d + 1) - bad(b + 1, c) + bad(a, c) == 0)
            most = std::max(most, double(b - a) * double(d - c) / ((n - 1.0) * (n - 1.0)));
  return most;
}

}  // namespace

TEST_CASE("of an ellipse reach, share and largest box are the analytic ones") {
  const Margin ellipse = each_margin([](const Eigen::VectorXd& x) {
    return 1 - std::pow((x[0] - 0.5) / 0.3, 2) - std::pow((x[1] - 0.4) / 0.15, 2);
  });
  const NearBest r = near_best(cube(2), ellipse, Eigen::Vector2d(0.5, 0.4), {}, 1);
  CHECK(r.alone[0].low == doctest::Approx(0.2).epsilon(1e-4));
  CHECK(r.alone[0].high == doctest::Approx(0.8).epsilon(1e-4));
  CHECK(r.alone[1].high == doctest::Approx(0.55).epsilon(1e-4));
  CHECK(std::abs(r.share - M_PI * 0.3 * 0.15) < 4 * r.share_error);
  CHECK(r.share_error < 0.01);
  CHECK(r.box_volume > 0.97 * 2 * 0.3 * 0.15);
  CHECK(r.box_volume < 1.01 * 2 * 0.3 * 0.15);
  REQUIRE(r.pieces.size() == 1);
  CHECK(r.pieces[0].share == doctest::Approx(r.share));
}

TEST_CASE("a region that is a ten-millionth of the whole is counted too") {
  const Margin ball =
      each_margin([](const Eigen::VectorXd& x) { return 0.02 - (x.array() - 0.37).matrix().norm(); });
  const NearBest r = near_best(cube(4), ball, Eigen::Vector4d::Constant(0.37), {}, 1);
  CHECK(r.share == doctest::Approx(M_PI * M_PI / 2 * std::pow(0.02, 4)).epsilon(0.25));
  CHECK(r.box_volume == doctest::Approx(std::pow(2 * 0.02 / 2, 4)).epsilon(0.1));
}

TEST_CASE("the largest box is that of brute force, whatever the shape") {
  const std::vector<std::pair<Eigen::Vector2d, std::function<double(const Eigen::VectorXd&)>>> shapes = {
      {{0.3, 0.2}, [](const Eigen::VectorXd& x) { return 0.8 - x[0] - x[1]; }},
      {{0.2, 0.6}, [](const Eigen::VectorXd& x) { return std::min(x[1] - x[0] * x[0], 0.9 - 0.7 * x[1]); }},
      {{0.5, 0.5}, [](const Eigen::VectorXd& x) { return 0.35 - std::abs(x[0] - x[1]) - 0.3 * x[0]; }},
      {{0.7, 0.3},
       [](const Eigen::VectorXd& x) { return 0.6 - std::sin(6 * x[0]) * std::cos(4 * x[1]) - x[1]; }}};
  for (std::size_t s = 0; s < shapes.size(); ++s) {
    CAPTURE(s);
    const Margin margin = each_margin(shapes[s].second);
    const SettingsBox box = largest_box(cube(2), margin, shapes[s].first, {}, 1);
    const double volume = (box.high - box.low).prod(), brute = brute_volume(margin, shapes[s].first, 61);
    // A grid does not see between its lines: it may be two lines too large or too small.
    CHECK(volume > 0.97 * brute - 0.01);
    CHECK(volume < brute + 0.06);
    for (double u = 0; u <= 1; u += 0.05)
      for (double v = 0; v <= 1; v += 0.05)
        CHECK(shapes[s].second(box.low + Eigen::Vector2d(u, v).cwiseProduct(box.high - box.low)) > -0.003);
  }
}

TEST_CASE("in three parameters share, reach and box are those of a dense grid") {
  const Margin bulge = each_margin([](const Eigen::VectorXd& x) {
    return 0.25 - std::pow(x[0] - 0.4, 2) - std::pow(x[1] - 0.5, 2) * (1 + x[0]) - 0.5 * x[2] * x[1];
  });
  const Eigen::Vector3d best(0.4, 0.3, 0.1);
  const NearBest r = near_best(cube(3), bulge, best, {}, 1);
  constexpr int n = 41;
  Eigen::MatrixXd x(n * n * n, 3);
  for (int i = 0; i < n * n * n; ++i)
    x.row(i) << (i / (n * n) + 0.5) / n, (i / n % n + 0.5) / n, (i % n + 0.5) / n;
  const Eigen::VectorXd m = bulge(x);
  CHECK(r.share == doctest::Approx((m.array() >= 0).cast<double>().mean()).epsilon(0.02));
  for (int k = 0; k < 3; ++k) {
    Eigen::MatrixXd line = best.transpose().replicate(2001, 1);
    line.col(k) = Eigen::VectorXd::LinSpaced(2001, 0, 1);
    const Eigen::VectorXd along = bulge(line);
    for (Eigen::Index i = 0; i < line.rows(); ++i)
      if (std::abs(along[i]) > 1e-3)
        CHECK((along[i] >= 0) ==
              (line(i, k) >= r.alone[std::size_t(k)].low && line(i, k) <= r.alone[std::size_t(k)].high));
  }
  // The largest box of the grid's cells, every one whose middle does not hold left out: summed from the
  // corner.
  std::vector<int> bad(std::size_t((n + 1) * (n + 1) * (n + 1)), 0);
  const auto at = [&](int i, int j, int k) -> int& {
    return bad[std::size_t((i * (n + 1) + j) * (n + 1) + k)];
  };
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j)
      for (int k = 0; k < n; ++k)
        at(i + 1, j + 1, k + 1) = at(i, j + 1, k + 1) + at(i + 1, j, k + 1) + at(i + 1, j + 1, k) -
                                  at(i, j, k + 1) - at(i, j + 1, k) - at(i + 1, j, k) + at(i, j, k) +
                                  !(m[(i * n + j) * n + k] >= 0);
  double most = 0;
  const Eigen::Vector3i cell = (best * n).cast<int>();
  for (int a = 0; a <= cell[0]; ++a)
    for (int b = cell[0] + 1; b <= n; ++b)
      for (int c = 0; c <= cell[1]; ++c)
        for (int d = cell[1] + 1; d <= n; ++d)
          for (int e = 0; e <= cell[2]; ++e)
            for (int f = cell[2] + 1; f <= n; ++f)
              if (at(b, d, f) - at(a, d, f) - at(b, c, f) - at(b, d, e) + at(a, c, f) + at(a, d, e) +
                      at(b, c, e) - at(a, c, e) ==
                  0)
                most = std::max(most, double(b - a) * (d - c) * (f - e) / (n * n * n));
  // Cells whose middle holds may stick out by half a cell on each face.
  CHECK(r.box_volume > 0.9 * most);
  CHECK(r.box_volume < 1.02 * most);
}

TEST_CASE("a region in pieces is told apart, the piece with the best first") {
  const Margin two = each_margin([](const Eigen::VectorXd& x) {
    return std::max(0.15 - (x - Eigen::Vector2d(0.2, 0.2)).norm(),
                    0.2 - (x - Eigen::Vector2d(0.7, 0.8)).norm());
  });
  const NearBest r = near_best(cube(2), two, Eigen::Vector2d(0.2, 0.2), {}, 1);
  REQUIRE(r.pieces.size() == 2);
  CHECK(r.pieces[0].span.high[0] < 0.36);
  CHECK(r.pieces[0].share == doctest::Approx(M_PI * 0.15 * 0.15).epsilon(0.15));
  CHECK(r.pieces[1].share == doctest::Approx(M_PI * 0.2 * 0.2).epsilon(0.15));
  CHECK((r.pieces[1].point - Eigen::Vector2d(0.7, 0.8)).norm() < 0.1);
  // A ring hangs together, although no straight line crosses it.
  const Margin ring = each_margin([](const Eigen::VectorXd& x) {
    return 0.06 - std::abs((x - Eigen::Vector2d(0.5, 0.5)).norm() - 0.35);
  });
  CHECK(near_best(cube(2), ring, Eigen::Vector2d(0.85, 0.5), {}, 1).pieces.size() == 1);
}

TEST_CASE("steps, levels and choices: only what can be set") {
  // The region is draft ≤ 2.1 of steps 0.25, fins up to 4, wood or glass, and radius above 4.
  Parameter draft = continuous("draft", 1, 6);
  draft.step = 0.25;
  const Space space({continuous("radius", 3, 8), draft, levels("fins", {0, 2, 4, 8}),
                     choice("hull", {"steel", "wood", "glass"})});
  const Margin margin = each_margin([](const Eigen::VectorXd& x) {
    return std::min({2.1 - x[1], 4.5 - x[2], x[3] - 0.5, x[0] - 4});
  });
  const NearBest r = near_best(space, margin, Eigen::Vector4d(5, 1.5, 2, 1), {}, 1);
  CHECK(r.box.high[1] == 2.0);
  CHECK(r.box.values[2] == std::vector<double>{0, 2, 4});
  CHECK(r.box.values[3] == std::vector<double>{1});
  CHECK(r.box.low[0] == doctest::Approx(4).epsilon(0.01));
  CHECK(r.alone[3].values == std::vector<double>{1, 2});
  CHECK(r.share == doctest::Approx(0.8 * 1.1 / 5 * 0.75 * 2 / 3).epsilon(0.15));
  CHECK(r.pieces[0].span.values[3] == std::vector<double>{1, 2});
}
