#include <doctest/doctest.h>

#include <renth/plan/evenness.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/random.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
double worst_gap(const Space& space, const Eigen::MatrixXd& points) {
  // How far the emptiest place is from its nearest run.
  const Coverage coverage(space, points);
  double worst = 0;
  const Eigen::MatrixXd probes = sample_region(space, 2000, Values::physical, 99, "probes");
  for (Eigen::Index i = 0; i < probes.rows(); ++i)
    worst = std::max(worst, coverage.distance(probes.row(i).transpose()));
  return worst;
}
}  // namespace

TEST_CASE("even plans leave smaller holes than random ones" * doctest::test_suite("long")) {
  const Space space = cube(3);
  const double random = worst_gap(space, random_plan(space, 60, 1).points);
  CHECK(worst_gap(space, latin_hypercube(space, {.runs = 60}, 1).points) < 0.92 * random);
  CHECK(worst_gap(space, sobol(space, {.runs = 60}, 1).points) < random);
}

TEST_CASE("under a limit a Latin hypercube follows the region's own marginals") {
  // Half of the square: the density of x1 falls in a straight line, so that its median is 1 − √½.
  const Space triangle = cube(2).with({{"x1 + x2 <= 1", [](const double* x) { return 1 - x[0] - x[1]; }}});
  const Plan plan = latin_hypercube(triangle, {.runs = 200, .effort = 0.2}, 1);
  CHECK(plan.notes.empty());  // every row could be made to obey by exchanging alone
  for (Eigen::Index j = 0; j < 2; ++j) {
    const auto below = (plan.points.col(j).array() < 1 - std::sqrt(0.5)).count();
    CHECK(std::abs(below - 100) <= 4);
  }
}

TEST_CASE("a thin region is filled too, and what could not be exchanged is said") {
  const Space band =
      cube(2).with({{"|x1 - x2| <= 0.02", [](const double* x) { return 0.02 - std::abs(x[0] - x[1]); }}});
  for (const Eigen::MatrixXd& points :
       {latin_hypercube(band, {.runs = 20}, 1).points, sobol(band, {.runs = 20}, 1).points,
        random_plan(band, 20, 1).points}) {
    CHECK(points.rows() == 20);
    for (Eigen::Index i = 0; i < 20; ++i) CHECK(band.allows(points.row(i).transpose()));
    CHECK(points.col(0).maxCoeff() - points.col(0).minCoeff() > 0.6);
  }
}

TEST_CASE("evenness measures what it says") {
  Eigen::MatrixXd points(4, 2);
  points << 0, 0, 0.3, 0.4, 1, 1, 1, 0;
  const Evenness e = evenness(cube(2), points);
  CHECK(e.min_distance == doctest::Approx(0.5));
  CHECK(e.mean_nearest == doctest::Approx((0.5 + 0.5 + std::sqrt(0.49 + 0.36) + std::sqrt(0.49 + 0.16)) / 4));
  Eigen::MatrixXd line(3, 2);
  line << 0, 1, 0.5, 0.5, 1, 0;
  CHECK(evenness(cube(2), line).max_abs_correlation == doctest::Approx(1));
}

TEST_CASE("two different choices are at distance one, whichever they are") {
  const Space space = mixed();
  Eigen::MatrixXd points(3, 4);
  for (int c = 0; c < 3; ++c) points.row(c) << 0, 2, 4, c;
  const Eigen::MatrixXd f = features(space, points);
  CHECK(f.cols() == 6);
  CHECK(feature_parameters(space) == std::vector<int>{0, 1, 2, 3, 3, 3});
  for (int a = 0; a < 3; ++a)
    for (int b = 0; b < a; ++b) CHECK((f.row(a) - f.row(b)).norm() == doctest::Approx(1));
}
