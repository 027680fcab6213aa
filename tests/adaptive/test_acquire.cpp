#include <doctest/doctest.h>

#include <cmath>
#include <renth/adaptive/acquire.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
double bend(const Eigen::VectorXd& x) {
  return std::sin(7 * x[0]) + x[1];
}
struct Fitted {
  Space space = cube(2);
  Data data = data_of(spread_out(space, 14, 2), bend);
  std::unique_ptr<const Surrogate> model = kriging_fit({.kernel = Kernel::matern52})(space, data, 1);
  Eigen::MatrixXd points = sample_region(space, 250, Values::physical, 3, "candidates");
  Eigen::MatrixXd covariance = model->covariance(points, 0);
};
}  // namespace

TEST_CASE("what a run leaves of the variance is what a fit with it leaves") {
  const Fitted f;
  Beliefs beliefs({f.covariance});
  beliefs.run(17);
  CHECK(beliefs.was_run(17));
  const Kriging::State& before = static_cast<const Kriging&>(*f.model).state();
  // The same lengths and variance with the run added; the response does not matter for variances.
  Kriging::State s = before;
  s.runs.conservativeResize(15, Eigen::NoChange);
  s.runs.row(14) = scaled_features(f.space, s.theta, f.points.row(17)).row(0);
  s.terms.setOnes(15, 1);
  s.weights.setZero(15);
  const Eigen::VectorXd after = Kriging(s).predict(f.points, {.variance = true}).model_variance;
  for (Eigen::Index i = 0; i < 250; i += 10)
    CHECK(beliefs.variance(0, i) == doctest::Approx(after[i]).epsilon(1e-3).scale(1e-3 * s.sigma2));
}

TEST_CASE("the most uncertain runs are chosen one after another, and never together") {
  const Fitted f;
  const auto chosen = choose_uncertain(Beliefs({f.covariance}), 4);
  REQUIRE(chosen.size() == 4);
  Eigen::Index largest = 0;
  f.covariance.diagonal().maxCoeff(&largest);
  CHECK(chosen[0] == largest);
  for (std::size_t a = 0; a < 4; ++a)
    for (std::size_t b = 0; b < a; ++b)
      CHECK((f.points.row(chosen[a]) - f.points.row(chosen[b])).norm() > 0.1);
}

TEST_CASE("runs for a level lie where the surface is near it") {
  const Fitted f;
  const Eigen::VectorXd mean = f.model->predict(f.points).mean;
  const double level = 0.8;
  const auto chosen = choose_near_level(Beliefs({f.covariance}), mean, level, 6);
  double near = 0, all = 0;
  for (const auto i : chosen) near += std::abs(mean[i] - level) / 6;
  all = (mean.array() - level).abs().mean();
  CHECK(near < 0.5 * all);
}

TEST_CASE("the expected improvement of one normal response is the closed formula") {
  const Fitted f;
  const Prediction p = f.model->predict(f.points, {.variance = true});
  ImprovementProblem problem;
  problem.mean = p.mean;
  problem.sd = p.model_variance.cwiseMax(0).cwiseSqrt();
  problem.belief = {0};
  problem.value = [](const Eigen::VectorXd& y) { return y[0]; };
  problem.best = f.data.outputs.maxCoeff();
  double gain = 0;
  const auto chosen = choose_improving(Beliefs({f.covariance}), problem, 3, 1, &gain);
  REQUIRE(chosen.size() == 3);
  const auto formula = [&](Eigen::Index i) {
    const double s = problem.sd(i, 0), z = (problem.mean(i, 0) - problem.best) / s;
    return s * (z * 0.5 * std::erfc(-z / std::sqrt(2)) + std::exp(-0.5 * z * z) / std::sqrt(2 * M_PI));
  };
  double best = 0;
  for (Eigen::Index i = 0; i < 250; ++i) best = std::max(best, formula(i));
  CHECK(formula(chosen[0]) > 0.9 * best);  // 128 draws
  CHECK(gain == doctest::Approx(formula(chosen[0])).epsilon(0.2));
  CHECK(f.points(chosen[0], 1) > 0.5);  // x2 only helps
}
