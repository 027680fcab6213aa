#include <doctest/doctest.h>

#include <renth/adaptive/feasibility.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

const Space plane({continuous("a", 0, 10), continuous("b", -1, 1)});
const Space with_choice({continuous("a", 0, 10), continuous("b", -1, 1), choice("hull", {"steel", "wood"})});

std::vector<bool> labels(const Eigen::MatrixXd& x) {
  std::vector<bool> out;
  for (Eigen::Index i = 0; i < x.rows(); ++i) out.push_back(x(i, 0) / 10 + x(i, 1) > 0.9);
  return out;
}

}  // namespace

TEST_CASE("the gradient of the objective is that of its finite differences") {
  const Eigen::MatrixXd x = sample_region(with_choice, 40, Values::physical, 1, "feasibility");
  Eigen::VectorXd y(40);
  const std::vector<bool> failed = labels(x);
  for (int i = 0; i < 40; ++i) y[i] = failed[i] ? -1 : 1;
  const Eigen::MatrixXd f = features(with_choice, x);
  const std::vector<int> owner = feature_parameters(with_choice);
  Eigen::VectorXd t(4), gradient(4);
  t << -0.4, 0.1, 0.3, 1.7;
  feasibility_objective(f, owner, y, 0.8, t, &gradient);
  for (int j = 0; j < 4; ++j) {
    Eigen::VectorXd up = t, down = t;
    up[j] += 1e-5, down[j] -= 1e-5;
    const double slope = (feasibility_objective(f, owner, y, 0.8, up, nullptr) -
                          feasibility_objective(f, owner, y, 0.8, down, nullptr)) /
                         2e-5;
    CHECK(gradient[j] == doctest::Approx(slope).epsilon(1e-5));
  }
}

TEST_CASE("one run: mode, probability and evidence agree with numerical integration") {
  // One observation at one point: f ~ N(0, s²), y = +1. The Laplace mode solves f = s²(1 − σ(f)).
  const Space line({continuous("a", 0, 1)});
  const double s2 = 4;
  Feasibility::State s;
  s.space = line;
  s.theta = Eigen::VectorXd::Constant(1, 0.5);
  s.variance = s2;
  s.prior_mean = 0;
  s.runs = Eigen::MatrixXd::Constant(1, 1, 0.3 / 0.5);
  double f = 0;
  for (int i = 0; i < 200; ++i)
    f -= (f - s2 / (1 + std::exp(f))) / (1 + s2 * std::exp(f) / std::pow(1 + std::exp(f), 2));
  const double p = 1 / (1 + std::exp(-f));
  s.pull = Eigen::VectorXd::Constant(1, 1 - p);
  s.weight = Eigen::VectorXd::Constant(1, p * (1 - p));
  const double mean = s2 * (1 - p),
               variance = 1 / (1 / s2 + p * (1 - p));  // of the Laplace Gaussian at the run
  CHECK(mean == doctest::Approx(f));
  double sum = 0, square = 0, weight = 0;
  for (int i = -4000; i <= 4000; ++i) {
    const double z = i / 500.0, w = std::exp(-z * z / 2),
                 q = 1 / (1 + std::exp(-(mean + z * std::sqrt(variance))));
    sum += w * q, square += w * q * q, weight += w;
  }
  const Prediction got = Feasibility(s).predict(Eigen::MatrixXd::Constant(1, 1, 0.3), {.variance = true});
  CHECK(got.mean(0, 0) == doctest::Approx(sum / weight).epsilon(1e-6));
  CHECK(got.model_variance(0, 0) ==
        doctest::Approx(square / weight - std::pow(sum / weight, 2)).epsilon(1e-5));
}

TEST_CASE("where runs fail is learned, with doubt at the border and in the unknown") {
  const Eigen::MatrixXd x = sample_region(plane, 120, Values::physical, 2, "feasibility");
  const auto model = feasibility_fit(plane, x, labels(x), 1);
  const Eigen::MatrixXd fresh = sample_region(plane, 500, Values::physical, 3, "feasibility");
  const std::vector<bool> truth = labels(fresh);
  const Eigen::VectorXd p = model->predict(fresh).mean.col(0);
  int right = 0;
  double brier = 0;
  for (int i = 0; i < 500; ++i) {
    right += (p[i] < 0.5) == truth[i];
    brier += std::pow(p[i] - (truth[i] ? 0 : 1), 2) / 500;
  }
  CHECK(right >= 480);
  CHECK(brier < 0.03);
  Eigen::MatrixXd at(3, 2);
  at << 1, -0.8, 9.5, 0.9, 4.5, 0.45;
  const Prediction q = model->predict(at, {.variance = true, .gradient = true});
  CHECK(q.mean(0, 0) > 0.9);
  CHECK(q.mean(1, 0) < 0.1);
  CHECK(q.mean(2, 0) == doctest::Approx(0.5).epsilon(0.5));  // on the border
  CHECK(q.mean_gradient[0](2, 0) < 0);
  CHECK(q.mean_gradient[0](2, 1) < 0);
  const Intervals i = model->intervals(q, 0.95);
  CHECK(i.confidence_low.minCoeff() >= 0);
  CHECK(i.confidence_high.maxCoeff() <= 1);
  const Eigen::MatrixXd covariance = model->covariance(at, 0);
  CHECK(covariance.isApprox(covariance.transpose()));
  CHECK(covariance.diagonal().minCoeff() >= 0);
}

TEST_CASE("it is saved bit for bit, thins many runs, and refuses to learn from one kind alone") {
  const Eigen::MatrixXd x = sample_region(with_choice, 300, Values::physical, 5, "feasibility");
  const auto model = feasibility_fit(with_choice, x, labels(x), 1, {.most_runs = 100});
  CHECK(static_cast<const Feasibility&>(*model).state().runs.rows() == 100);
  const auto again = Feasibility::load(model->save());
  const Eigen::MatrixXd at = sample_region(with_choice, 20, Values::physical, 6, "feasibility");
  CHECK(again->predict(at).mean == model->predict(at).mean);
  CHECK_THROWS_WITH_AS(feasibility_fit(with_choice, x, std::vector<bool>(300, false), 1),
                       doctest::Contains("no run has failed"), Error);
  CHECK_THROWS_WITH_AS(feasibility_fit(with_choice, x, std::vector<bool>(300, true), 1),
                       doctest::Contains("no run is done"), Error);
}
