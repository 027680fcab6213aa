// What a page must answer at once.
#include <doctest/doctest.h>

#include <cmath>
#include <renth/numeric/random.hpp>
#include <renth/predict/ascent.hpp>
#include <renth/predict/reach.hpp>
#include <renth/predict/specification.hpp>
#include <renth/problem/desirability.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("shares in specification are counts, and those that fail together are told apart") {
  Eigen::MatrixXd margins(5, 3);
  margins << 1, 1, 0,  //
      -1, 2, 1,        //
      -1, 1, -2,       //
      -3, 1, -1,       //
      NAN, 1, 1;
  const SpecificationShares s = shares_in_specification(margins);
  CHECK(s.all == 0.2);
  CHECK(s.single == std::vector<double>{0.2, 1, 0.6});
  REQUIRE(s.broken.size() == 2);
  CHECK(s.broken[0].limits == std::vector<std::size_t>{0});
  CHECK(s.broken[0].share == 0.4);
  CHECK(s.broken[1].limits == std::vector<std::size_t>{0, 2});
  CHECK(shares_in_specification(Eigen::MatrixXd(0, 2)).all == 0);
}

TEST_CASE("the ascent finds the top of a curved ridge, and stays within bounds and what is allowed") {
  // H. H. Rosenbrock, The Computer Journal 3, 1960, upside down.
  int asked = 0;
  const auto rosenbrock = [&](const Eigen::MatrixXd& x) {
    asked += int(x.rows());
    const Eigen::ArrayXd a = x.col(0), b = x.col(1);
    return Eigen::VectorXd(-(1 - a).square() - 100 * (b - a.square()).square());
  };
  const Eigen::Vector2d low(-2, -1), high(2, 3);
  AscentEnd end = ascend(rosenbrock, Eigen::Vector2d(-1.2, 1), low, high, {.most_steps = 200});
  CHECK((end.at - Eigen::Vector2d(1, 1)).norm() < 1e-3);
  CHECK(end.value > -1e-7);
  CHECK(asked < 200 * 17);
  // The top lies beyond a bound in one coordinate.
  end = ascend(rosenbrock, Eigen::Vector2d(-1.2, 1), low, Eigen::Vector2d(0.5, 3), {.most_steps = 200});
  CHECK(end.at[0] == doctest::Approx(0.5));
  CHECK(end.at[1] == doctest::Approx(0.25).epsilon(1e-3));
  // Beyond a limit there is no value; the best beside it is kept.
  const auto limited = [](const Eigen::MatrixXd& x) {
    Eigen::VectorXd y = -(x.array() - 2).square().rowwise().sum();
    for (Eigen::Index i = 0; i < y.size(); ++i)
      if (x.row(i).sum() > 3) y[i] = -INFINITY;
    return y;
  };
  end = ascend(limited, Eigen::Vector2d(0, 0.2), Eigen::Vector2d(-3, -3), Eigen::Vector2d(3, 3));
  CHECK(end.at.sum() <= 3);
  CHECK(end.value > limited(Eigen::RowVector2d(0, 0.2))[0] + 4);
  CHECK(std::isinf(ascend(limited, Eigen::Vector2d(3, 3), low, Eigen::Vector2d(3, 3)).value));
}

TEST_CASE("the reach of each parameter ends where the margin does") {
  const Space space = mixed();  // a −2 … 5, steps of 0.1 from 1 to 3, levels 0 2 4 8, red green blue
  const Eigen::Vector4d at(1, 2, 2, 1);
  // A disc in a and step; levels up to 4; not blue.
  const auto margin = [](const Eigen::MatrixXd& x) {
    Eigen::VectorXd out(x.rows());
    for (Eigen::Index i = 0; i < x.rows(); ++i)
      out[i] = x(i, 2) > 4 || x(i, 3) == 2 ? -1 : 1.5 - std::hypot(x(i, 0) - 0.7, 2 * (x(i, 1) - 2.05));
    return out;
  };
  const std::vector<Reach> reach = reach_of_each(space, at, margin);
  CHECK(reach[0].holds);
  const double half = std::sqrt(1.5 * 1.5 - 0.1 * 0.1);
  CHECK(reach[0].low == doctest::Approx(0.7 - half).epsilon(1e-5));
  CHECK(reach[0].high == doctest::Approx(0.7 + half).epsilon(1e-5));
  CHECK(margin(Eigen::RowVector4d(reach[0].high, 2, 2, 1))[0] >= 0);  // on the side that holds
  CHECK(reach[1].low == doctest::Approx(1.4));
  CHECK(reach[1].high == doctest::Approx(2.7));
  CHECK(reach[1].values.size() == 14);
  CHECK(reach[2].values == std::vector<double>{0, 2, 4});
  CHECK(reach[3].values == std::vector<double>{0, 1});
  const std::vector<Reach> lost = reach_of_each(space, Eigen::Vector4d(1, 2, 8, 1), margin);
  CHECK_FALSE(lost[0].holds);
  CHECK(std::isnan(lost[0].low));
  CHECK(lost[2].values == std::vector<double>{0, 2, 4});  // what would bring it back
}

TEST_CASE("desirabilities run from the accept limit to the best, and one of nought spoils all") {
  Goal goal;
  goal.accept_min = 10;
  const Desirability up = desirability_between(goal, 5, 30);
  CHECK(up(10) == 0);
  CHECK(up(20) == 0.5);
  CHECK(up(99) == 1);
  CHECK(up.outside(0) == 0.5);
  goal = {};
  goal.aim = Goal::Aim::target;
  goal.target = 4;
  goal.accept_max = 6;
  const Desirability target = desirability_between(goal, 0, 5);
  CHECK(target(4) == 1);
  CHECK(target(5) == 0.5);
  CHECK(target(2) == doctest::Approx(0.6));  // from −1, a width below the target
  CHECK(target(7) == 0);
  OverallDesirability overall;
  CHECK(overall.value() == 1);
  overall.add(0.25, 1);
  overall.add(1, 3);
  CHECK(overall.value() == doctest::Approx(std::pow(0.25, 0.25)));
  overall.add(0, 0.1);
  CHECK(overall.value() == 0);
}
