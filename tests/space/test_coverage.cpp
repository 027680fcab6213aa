#include <doctest/doctest.h>

#include <cmath>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("many points at once lie inside exactly where one at a time does") {
  const Space space(
      {continuous("a", 0, 1), continuous("b", -2, 3), choice("kind", {"red", "green", "blue"})});
  Eigen::MatrixXd runs = sample_region(space, 300, Values::physical, 1, "runs");
  runs.col(2) = runs.col(2).array().min(1);  // no run is blue
  for (Eigen::Index i = 0; i < 300; i += 3) runs.row(i) = runs.row(0);
  const Coverage coverage(space, runs);
  Eigen::MatrixXd points = sample_region(space, 2000, Values::physical, 2, "points");
  points.leftCols(2) *= 1.2;
  const std::vector<char> at_once = coverage.inside_each(points);
  int inside = 0;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    CHECK(bool(at_once[std::size_t(i)]) == coverage.inside(points.row(i).transpose()));
    if (points(i, 2) == 2) CHECK_FALSE(at_once[std::size_t(i)]);
    inside += at_once[std::size_t(i)];
  }
  CHECK(inside > 200);
  CHECK(inside < 1500);
}

TEST_CASE("the reach of runs and the distance to them are what looking at all pairs finds") {
  const Space space = cube(3);
  const Eigen::MatrixXd runs = sample_region(space, 120, Values::physical, 3, "runs");
  const Coverage coverage(space, runs);
  double reach = 0;
  for (Eigen::Index i = 0; i < 120; ++i) {
    double nearest = 1e300;
    for (Eigen::Index j = 0; j < 120; ++j)
      if (j != i) nearest = std::min(nearest, (runs.row(i) - runs.row(j)).norm());
    reach = std::max(reach, nearest);
  }
  CHECK(coverage.parts().reach == doctest::Approx(reach).epsilon(1e-14));
  const Eigen::Vector3d at(0.3, 0.9, 0.1);
  CHECK(coverage.distance(at) ==
        doctest::Approx((runs.rowwise() - at.transpose()).rowwise().norm().minCoeff()).epsilon(1e-14));
  // From its parts it is the same again.
  const Coverage again(space, coverage.parts());
  const Eigen::MatrixXd points = sample_region(cube(3, -0.2, 1.2), 500, Values::physical, 4, "points");
  CHECK(again.inside_each(points) == coverage.inside_each(points));
}

TEST_CASE("the hull of corners is the whole box, and no more") {
  const Space space = cube(4);
  Eigen::MatrixXd corners(16, 4);
  for (int i = 0; i < 16; ++i)
    for (int j = 0; j < 4; ++j) corners(i, j) = i >> j & 1;
  corners.conservativeResize(17, 4);
  corners.row(16).setConstant(0.99);  // near one corner, so that others are far from their nearest
  const Coverage coverage(space, corners.topRows(16));
  CHECK(coverage.inside(Eigen::VectorXd::Constant(4, 0.5)));
  CHECK(coverage.inside(Eigen::VectorXd::Constant(4, 0.01)));
  CHECK_FALSE(coverage.inside(Eigen::VectorXd::Constant(4, 1.2)));
  CHECK_FALSE(coverage.inside(Eigen::VectorXd::Constant(4, std::nan(""))));
}

TEST_CASE("no runs cover nothing, one run covers itself") {
  const Space space = cube(2);
  CHECK_FALSE(Coverage(space, Eigen::MatrixXd(0, 2)).inside(Eigen::Vector2d(0.5, 0.5)));
  const Coverage one(space, Eigen::RowVector2d(0.5, 0.5));
  CHECK(one.inside(Eigen::Vector2d(0.5, 0.5)));
  CHECK_FALSE(one.inside(Eigen::Vector2d(0.6, 0.5)));
}
