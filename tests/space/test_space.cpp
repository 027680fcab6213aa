#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("coding goes there and back, and the ends are exactly −1 and +1") {
  const Space space = mixed();
  for (Eigen::Index j = 0; j < 3; ++j) {
    CHECK(space.coded(j, space[j].low) == -1);
    CHECK(space.coded(j, space[j].high) == 1);
    for (const double v : {space[j].low, 0.3 * space[j].low + 0.7 * space[j].high, space[j].high})
      CHECK(space.natural(j, space.coded(j, v)) == doctest::Approx(v).epsilon(1e-15));
  }
  // Coded by value: 2 of 0 … 8 lies at −½.
  CHECK(space.coded(2, 2) == -0.5);
}

TEST_CASE("settable values are the decimals that people write") {
  const Space space = mixed();
  CHECK(space[1].settable_count() == 21);
  CHECK(space[1].settable(3) == 1.3);
  CHECK(space[1].snap(1.349) == 1.3);
  CHECK(space[1].snap(99) == 3);
  CHECK(space[2].snap(5.9) == 4);
  CHECK(space[3].snap(1.4) == 1);
  CHECK(space[0].settable_count() == 0);
}

TEST_CASE("units take equal shares of levels and choices") {
  const Space space = mixed();
  std::vector<int> count(3, 0);
  for (int i = 0; i < 300; ++i) ++count[static_cast<int>(space.from_unit(3, (i + 0.5) / 300, false))];
  CHECK(count == std::vector<int>{100, 100, 100});
  CHECK(space.from_unit(2, 0.999999, false) == 8);
  CHECK(space.from_unit(2, 0.3, false) == 2);
}

TEST_CASE("two parameters of one name, an empty span and a lone choice are refused") {
  CHECK_THROWS_AS(Space({continuous("a", 0, 1), continuous("a", 0, 1)}), Error);
  CHECK_THROWS_AS(Space({continuous("a", 1, 1)}), Error);
  CHECK_THROWS_AS(Space({choice("a", {"only"})}), Error);
}

TEST_CASE("the region's sampler is uniform over what the limits leave") {
  const Space triangle = cube(2).with({{"x1 + x2 <= 1", [](const double* x) { return 1 - x[0] - x[1]; }}});
  const Eigen::MatrixXd p = sample_region(triangle, 40'000, Values::physical, 1, "test");
  CHECK((p.rowwise().sum().array() <= 1).all());
  CHECK(p.col(0).mean() == doctest::Approx(1.0 / 3).epsilon(0.01));  // centroid
  CHECK((p.col(0).array() * p.col(1).array()).mean() == doctest::Approx(1.0 / 12).epsilon(0.02));
  CHECK(feasible_share(triangle, 1) == doctest::Approx(0.5).epsilon(0.03));
  const Space nothing = cube(2).with({{"never", [](const double*) { return -1.0; }}});
  CHECK_THROWS_WITH_AS(sample_region(nothing, 1, Values::physical, 1, "test"),
                       doctest::Contains("limits leave nothing"), Error);
}

TEST_CASE("inside is the hull of the runs and their neighbourhood, no more") {
  const Space space = cube(2);
  Eigen::MatrixXd corners(4, 2);
  corners << 0.2, 0.2, 0.8, 0.2, 0.2, 0.8, 0.8, 0.8;
  const Coverage coverage(space, corners);
  CHECK(coverage.inside(Eigen::Vector2d(0.5, 0.5)));  // far from every run, but amid them
  CHECK(coverage.inside(Eigen::Vector2d(0.2, 0.2)));
  CHECK(coverage.inside(Eigen::Vector2d(0.85, 0.5)));  // within one part in four of the range
  CHECK_FALSE(coverage.inside(Eigen::Vector2d(0.99, 0.5)));
  Eigen::MatrixXd line(30, 2);
  for (int i = 0; i < 30; ++i) line.row(i) << i / 29.0, i / 29.0;
  const Coverage thin(space, line);
  CHECK(thin.inside(Eigen::Vector2d(0.51, 0.5)));
  CHECK_FALSE(thin.inside(Eigen::Vector2d(0.9, 0.1)));  // both values occur, together they do not
}

TEST_CASE("a choice that no run took is outside") {
  const Space space({continuous("x", 0, 1), choice("c", {"a", "b"})});
  Eigen::MatrixXd runs(3, 2);
  runs << 0, 0, 0.5, 0, 1, 0;
  const Coverage coverage(space, runs);
  CHECK(coverage.inside(Eigen::Vector2d(0.4, 0)));
  CHECK_FALSE(coverage.inside(Eigen::Vector2d(0.5, 1)));
}
