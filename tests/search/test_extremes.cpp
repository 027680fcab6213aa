#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/search/seek.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
Responses one(const std::function<double(const Eigen::VectorXd&)>& f) {
  return [f](Points x) {
    Eigen::MatrixXd out(x.rows(), 1);
    for (Eigen::Index i = 0; i < x.rows(); ++i) out(i, 0) = f(x.row(i).transpose());
    return out;
  };
}
}  // namespace

TEST_CASE("extremes of published functions are found at their published places") {
  // Six-hump camel back (L. C. W. Dixon and G. P. Szegö, 1978): two equal minima of −1.0316285.
  const Space camel({continuous("x", -2, 2), continuous("y", -1, 1)});
  const Extremes e =
      extremes(camel, one([](const Eigen::VectorXd& p) {
                 const double x = p[0], y = p[1];
                 return (4 - 2.1 * x * x + std::pow(x, 4) / 3) * x * x + x * y + (-4 + 4 * y * y) * y * y;
               }),
               0, {}, 1);
  CHECK(e.smallest.value == doctest::Approx(-1.0316284535).epsilon(1e-8));
  CHECK(std::abs(e.smallest.point[0]) == doctest::Approx(0.0898).epsilon(1e-3));
  CHECK(e.largest.value == doctest::Approx(5.7333333).epsilon(1e-6));
  // Hartmann 3 (same book): minimum −3.86278 at (0.1146, 0.5556, 0.8525).
  const double a[4][3] = {{3, 10, 30}, {0.1, 10, 35}, {3, 10, 30}, {0.1, 10, 35}}, c[4] = {1, 1.2, 3, 3.2};
  const double p[4][3] = {{0.3689, 0.1170, 0.2673},
                          {0.4699, 0.4387, 0.7470},
                          {0.1091, 0.8732, 0.5547},
                          {0.03815, 0.5743, 0.8828}};
  const Extremes h = extremes(cube(3), one([&](const Eigen::VectorXd& x) {
                                double y = 0;
                                for (int i = 0; i < 4; ++i) {
                                  double s = 0;
                                  for (int j = 0; j < 3; ++j) s += a[i][j] * std::pow(x[j] - p[i][j], 2);
                                  y -= c[i] * std::exp(-s);
                                }
                                return y;
                              }),
                              0, {}, 1);
  CHECK(h.smallest.value == doctest::Approx(-3.86278).epsilon(1e-5));
}

TEST_CASE("a purely discrete space is enumerated, so that its best is the best") {
  Parameter step = continuous("s", 0, 1);
  step.step = 0.01;
  step.nominal = 0;
  const Space space({step, levels("n", {1, 2, 3, 5}), choice("c", {"x", "y", "z"})});
  const auto f = [](const Eigen::VectorXd& x) { return std::sin(50 * x[0] * x[1]) + 0.3 * x[2]; };
  double best = -9;
  for (int i = 0; i <= 100; ++i)
    for (const double n : {1, 2, 3, 5})
      for (int c = 0; c < 3; ++c) best = std::max(best, f(Eigen::Vector3d(space[0].settable(i), n, c)));
  CHECK(extremes(space, one(f), 0, {}, 1).largest.value == best);
}

TEST_CASE("a target is met on a line of settings, and the nearest reach is taken where it cannot be") {
  SeekProblem problem;
  problem.space = cube(2);
  problem.responses = one([](const Eigen::VectorXd& x) { return x[0] + x[1]; });
  problem.goals = {{.response = 0, .aim = Goal::Aim::target, .target = 1.3}};
  const SeekResult met = seek(problem, {}, 1);
  CHECK(met.proposals[0].responses[0] == doctest::Approx(1.3).epsilon(1e-6));
  CHECK(met.proposals[0].desirability == doctest::Approx(1).epsilon(1e-6));
  CHECK(met.proposals.size() == 3);  // there are many, and they are told apart
  problem.goals[0].target = 2.5;
  CHECK(seek(problem, {}, 1).proposals[0].point.sum() == doctest::Approx(2));
}

TEST_CASE("without goals any setting that keeps the conditions will do") {
  SeekProblem problem;
  problem.space = cube(2);
  problem.responses = one([](const Eigen::VectorXd& x) { return x[0] * x[1]; });
  problem.constraints = {{"y >= 0.8", [](const double*, const double* y) { return y[0] - 0.8; }, 1}};
  const SeekResult r = seek(problem, {}, 1);
  CHECK(r.feasible);
  CHECK(r.proposals[0].responses[0] >= 0.8);
}

TEST_CASE("limits and holds that leave nothing are an error") {
  MaximiseOptions options;
  options.hold = {0.9, std::nullopt};
  const Space space = cube(2).with({{"x1 <= 0.5", [](const double* x) { return 0.5 - x[0]; }}});
  CHECK_THROWS_WITH_AS(
      maximise(
          space, [](Points x) { return Eigen::VectorXd::Zero(x.rows()).eval(); }, options, 1),
      doctest::Contains("leave no setting"), Error);
}

TEST_CASE("the same seed finds the same, point for point") {
  const auto f =
      one([](const Eigen::VectorXd& x) { return std::sin(9 * x[0]) * std::cos(11 * x[1]) + x[2]; });
  const Extremes a = extremes(cube(3), f, 0, {}, 7), b = extremes(cube(3), f, 0, {}, 7);
  CHECK(a.largest.point == b.largest.point);
  CHECK(a.smallest.point == b.smallest.point);
}
