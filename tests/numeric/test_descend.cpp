#include <doctest/doctest.h>

#include <cmath>
#include <renth/numeric/descend.hpp>

using namespace renth;

TEST_CASE("descending finds the bottom of a valley, inside the bounds, and survives what is not finite") {
  // H. H. Rosenbrock, Computer Journal 3, 1960: the bottom is at (1, 1).
  const SmoothFunction valley = [](const Eigen::VectorXd& x, Eigen::VectorXd* g) {
    const double a = 1 - x[0], b = x[1] - x[0] * x[0];
    if (g) *g << -2 * a - 400 * x[0] * b, 200 * b;
    return x[0] > 5 ? INFINITY : a * a + 100 * b * b;
  };
  const Eigen::Vector2d start(-1.2, 1), low(-9, -9), high(9, 9);
  const Descent free = descend(valley, start, low, high, {.value_tolerance = 1e-14});
  CHECK((free.at - Eigen::Vector2d(1, 1)).norm() < 1e-4);
  CHECK(free.value < 1e-8);
  const Descent bounded = descend(valley, start, low, Eigen::Vector2d(0.5, 9), {.value_tolerance = 1e-14});
  CHECK(bounded.at[0] == doctest::Approx(0.5));
  CHECK(bounded.at[1] == doctest::Approx(0.25).epsilon(1e-3));
  const Descent few = descend(valley, Eigen::Vector2d(20, 0), low, high, {.most_evaluations = 30});
  CHECK(few.at.allFinite());
  const Descent nowhere =
      descend([](const Eigen::VectorXd&, Eigen::VectorXd*) { return INFINITY; }, start, low, high);
  CHECK(std::isinf(nowhere.value));
  CHECK(nowhere.at == start);
}
