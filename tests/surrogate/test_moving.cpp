#include <doctest/doctest.h>

#include <Eigen/QR>
#include <renth/base/error.hpp>
#include <renth/fit/moving_fit.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/moving.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("moving least squares meets every surface of its local model exactly") {
  const Space space = cube(3, -1, 4);
  const auto f = [](const Eigen::VectorXd& x) { return 2 + x[0] - 3 * x[1] * x[2] + x[2] * x[2]; };
  const Data data = data_of(spread_out(space, 60, 1), f);
  MovingOptions options;
  options.models = {"quadratic"};
  const auto fitted = moving_fit(options)(space, data, 1);
  const Eigen::MatrixXd at = sample_region(space, 40, Values::physical, 2, "at");
  CHECK((fitted->predict(at).mean - data_of(at, f).outputs).cwiseAbs().maxCoeff() < 1e-9);
  const Eigen::MatrixXd slope = fitted->predict(at, {.gradient = true}).mean_gradient[0];
  for (Eigen::Index i = 0; i < at.rows(); ++i)
    CHECK(slope(i, 2) == doctest::Approx(-3 * at(i, 1) + 2 * at(i, 2)).epsilon(1e-4).scale(1));
}

TEST_CASE("a prediction is the weighted fit to the nearest runs") {
  const Space space = cube(2);
  const Data data = data_of(spread_out(space, 30, 3),
                            [](const Eigen::VectorXd& x) { return std::exp(x[0]) * std::cos(3 * x[1]); });
  Moving::State s;
  s.space = space;
  s.terms = parse_terms(space, "linear");
  s.near = 9;
  s.features = features(space, data.inputs);
  s.matrix = model_matrix(space, s.terms, data.inputs);
  s.y = data.outputs.col(0);
  const Eigen::Vector2d x(0.4, 0.6);
  const Eigen::VectorXd f = model_matrix(space, s.terms, x.transpose()).row(0).transpose();
  const Eigen::VectorXd l = Moving::weights_at(s, x, f);
  CHECK((l.array() != 0).count() == 9);
  std::vector<double> squared;
  for (Eigen::Index i = 0; i < 30; ++i) squared.push_back((s.features.row(i) - x.transpose()).squaredNorm());
  std::vector<double> sorted = squared;
  std::sort(sorted.begin(), sorted.end());
  const Eigen::Index n = 30;
  Eigen::MatrixXd a = Eigen::MatrixXd::Zero(n, 3);
  Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const double root =
        squared[std::size_t(i)] < sorted[9] ? std::pow(1 - squared[std::size_t(i)] / sorted[9], 1.5) : 0;
    a.row(i) = root * s.matrix.row(i);
    b[i] = root * s.y[i];
  }
  CHECK(l.dot(s.y) == doctest::Approx(f.dot(a.colPivHouseholderQr().solve(b))).epsilon(1e-10));
  // Left out, a run has no weight, and others reach a little farther.
  const Eigen::VectorXd without =
      Moving::weights_at(s, s.features.row(4).transpose(), s.matrix.row(4).transpose(), 4);
  CHECK(without[4] == 0);
  CHECK((without.array() != 0).count() == 9);
}

TEST_CASE("it follows a wavy surface of two parameters and says how well") {
  const Space space = cube(2);
  const auto f = [](const Eigen::VectorXd& x) { return std::sin(5 * x[0]) + std::cos(4 * x[1]); };
  const auto fitted = moving_fit()(space, data_of(spread_out(space, 120, 4), f), 1);
  const Data fresh = data_of(sample_region(space, 300, Values::physical, 5, "fresh"), f);
  const Prediction p = fitted->predict(fresh.inputs, {.variance = true});
  CHECK(std::sqrt((p.mean - fresh.outputs).squaredNorm() / 300) < 0.08);
  const Intervals bounds = fitted->intervals(p, 0.95);
  const auto inside = (fresh.outputs.array() >= bounds.prediction_low.array() &&
                       fresh.outputs.array() <= bounds.prediction_high.array())
                          .count();
  CHECK(inside > 250);
  const Data few = data_of(spread_out(space, 4, 1), [](const Eigen::VectorXd& x) { return x[0]; });
  CHECK_THROWS_WITH_AS(moving_fit()(space, few, 1), doctest::Contains("too few"), Error);
}
