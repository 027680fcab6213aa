#include <doctest/doctest.h>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <renth/base/error.hpp>
#include <renth/fit/along_axis.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

double branin(const Eigen::VectorXd& x) {
  return std::pow(x[1] - 5.1 / (4 * M_PI * M_PI) * x[0] * x[0] + 5 / M_PI * x[0] - 6, 2) +
         10 * (1 - 1 / (8 * M_PI)) * std::cos(x[0]) + 10;
}
const Space branin_space({continuous("x1", -5, 10), continuous("x2", 0, 15)});

const Kriging& as_kriging(const std::unique_ptr<const Surrogate>& s) {
  return static_cast<const Kriging&>(*s);
}

/// Correlations of scaled points by the formula, without any of the library's loops.
Eigen::MatrixXd plain_correlations(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  Eigen::MatrixXd k(a.rows(), b.rows());
  for (Eigen::Index i = 0; i < a.rows(); ++i)
    for (Eigen::Index j = 0; j < b.rows(); ++j) {
      const double s = std::sqrt(5) * (a.row(i) - b.row(j)).norm();
      k(i, j) = (1 + s + s * s / 3) * std::exp(-s);
    }
  return k;
}

/// Branin's runs or others, ready for the objective.
KrigingProblem problem_of(const Space& space, const Data& data, Kernel kernel, KrigingCriterion criterion,
                          const std::string& trend, bool prior) {
  return {features(space, data.inputs),
          feature_lengths(space),
          data.outputs.col(0),
          model_matrix(space, trend_terms(space, trend), data.inputs),
          kernel,
          criterion,
          prior};
}

const Kernel all_kernels[] = {Kernel::gaussian, Kernel::matern52, Kernel::matern32, Kernel::exponential,
                              Kernel::product52};

}  // namespace

TEST_CASE("gradients agree with differences: every kernel, both criteria, trends, prior, nugget") {
  const Space space = mixed();
  const Data data = data_of(sample_region(space, 40, Values::physical, 1, "runs"),
                            [](const Eigen::VectorXd& x) { return x[0] * x[1] + std::sin(x[2]) + x[3]; });
  const int lengths = feature_lengths(space).back() + 1;
  for (const Kernel kernel : all_kernels)
    for (const KrigingCriterion criterion : {KrigingCriterion::likelihood, KrigingCriterion::leave_one_out})
      for (const char* trend : {"1", "linear"})
        for (const bool prior : {false, true})
          for (const bool nugget : {false, true}) {
            CAPTURE(name(kernel));
            CAPTURE(trend);
            CAPTURE(nugget);
            KrigingObjective objective(problem_of(space, data, kernel, criterion, trend, prior));
            Eigen::VectorXd t(lengths + nugget), gradient;
            for (int k = 0; k < lengths; ++k) t[k] = -0.5 + 0.3 * k;
            if (nugget) t[lengths] = -3;
            objective(t, &gradient);
            for (Eigen::Index k = 0; k < t.size(); ++k) {
              Eigen::VectorXd up = t, down = t;
              up[k] += 1e-5;
              down[k] -= 1e-5;
              CHECK(gradient[k] == doctest::Approx((objective(up, nullptr) - objective(down, nullptr)) / 2e-5)
                                       .epsilon(2e-5)
                                       .scale(1));
            }
          }
}

TEST_CASE("the likelihood is that of the Gaussian density") {
  const Data data = data_of(spread_out(branin_space, 15, 1), branin);
  KrigingObjective likelihood(
      problem_of(branin_space, data, Kernel::matern52, KrigingCriterion::likelihood, "1", false));
  const Eigen::Vector2d t(-1, -0.4);
  const double value = likelihood(t, nullptr);
  Eigen::MatrixXd x = features(branin_space, data.inputs);
  for (int k = 0; k < 2; ++k) x.col(k) /= std::exp(t[k]);
  const Eigen::MatrixXd k = plain_correlations(x, x) + 1e-10 * Eigen::MatrixXd::Identity(15, 15),
                        inverse = k.inverse();
  const Eigen::VectorXd one = Eigen::VectorXd::Ones(15), y = data.outputs;
  const double mu = one.dot(inverse * y) / one.dot(inverse * one),
               s2 = (y.array() - mu).matrix().dot(inverse * (y.array() - mu).matrix()) / 15;
  CHECK(likelihood.beta()[0] == doctest::Approx(mu).epsilon(1e-9));
  CHECK(likelihood.sigma2() == doctest::Approx(s2).epsilon(1e-9));
  CHECK(value == doctest::Approx(0.5 * (15 * std::log(s2) + std::log(k.determinant()))).epsilon(1e-9));
}

TEST_CASE("errors left out are those of refits without the run, its lengths kept") {
  const Data data = data_of(spread_out(branin_space, 18, 3), branin);
  const Eigen::Vector2d t(-0.7, -0.2);
  for (const char* trend : {"1", "linear"}) {
    KrigingObjective whole(
        problem_of(branin_space, data, Kernel::product52, KrigingCriterion::leave_one_out, trend, false));
    Eigen::VectorXd error, variance;
    whole.left_out(t, error, variance);
    for (Eigen::Index i = 0; i < data.size(); ++i) {
      std::vector<Eigen::Index> rest;
      for (Eigen::Index r = 0; r < data.size(); ++r)
        if (r != i) rest.push_back(r);
      const Data part = data.rows(rest);
      KrigingObjective without(
          problem_of(branin_space, part, Kernel::product52, KrigingCriterion::leave_one_out, trend, false));
      without(t, nullptr);
      Kriging::State s;
      s.space = branin_space;
      s.kernel = Kernel::product52;
      s.trend = trend_terms(branin_space, trend);
      s.theta = t.array().exp();
      s.nugget = KrigingObjective::floor;
      s.beta = without.beta();
      s.sigma2 = 1;
      s.runs = without.scaled_runs();
      s.terms = without.problem().trend;
      s.weights = without.weights();
      const Prediction p = Kriging(s).predict(data.inputs.row(i), {.variance = true});
      CHECK(data.outputs(i, 0) - p.mean(0, 0) == doctest::Approx(error[i]).epsilon(1e-5).scale(1));
      CHECK(p.model_variance(0, 0) == doctest::Approx(variance[i]).epsilon(1e-5));
    }
  }
}

TEST_CASE("gradients of the mean are slopes of the mean, trend and all") {
  const Space space = mixed();
  const Data data = data_of(spread_out(space, 50, 2), [](const Eigen::VectorXd& x) {
    return x[0] * x[0] + 2 * x[1] + (x[3] == 1 ? x[0] : 0.0);
  });
  for (const Kernel kernel : all_kernels) {
    CAPTURE(name(kernel));
    const auto fitted = kriging_fit({.kernel = kernel, .trend = "linear", .starts = 1})(space, data, 1);
    const Eigen::MatrixXd at = sample_region(space, 5, Values::physical, 8, "at");
    const Eigen::MatrixXd gradient = fitted->predict(at, {.gradient = true}).mean_gradient[0];
    for (Eigen::Index j = 0; j < 2; ++j) {
      const double step = 1e-5 * (space[j].high - space[j].low);
      Eigen::MatrixXd up = at, down = at;
      up.col(j).array() += step;
      down.col(j).array() -= step;
      const Eigen::VectorXd slope = (fitted->predict(up).mean - fitted->predict(down).mean) / (2 * step);
      CHECK((gradient.col(j) - slope).cwiseAbs().maxCoeff() < 1e-3 * (1 + slope.cwiseAbs().maxCoeff()));
    }
    CHECK(gradient.col(3).norm() == 0);
  }
}

TEST_CASE("a linear trend takes over far from the runs, a constant does not") {
  const Space line({continuous("x", 0, 1)});
  Data data = data_of(spread_out(line, 12, 1),
                      [](const Eigen::VectorXd& x) { return 5 * x[0] + std::sin(9 * x[0]); });
  Eigen::MatrixXd far(1, 1);
  far << 6;
  const double linear = kriging_fit({.kernel = Kernel::matern52, .trend = "linear"})(line, data, 1)
                            ->predict(far)
                            .mean(0, 0),
               constant = kriging_fit({.kernel = Kernel::matern52})(line, data, 1)->predict(far).mean(0, 0);
  CHECK(linear > 15);
  CHECK(constant < 15);
  CHECK_THROWS_WITH_AS(kriging_fit({.trend = "cubic"})(
                           branin_space, data_of(sobol(branin_space, {.runs = 8}, 1).points, branin), 1),
                       doctest::Contains("terms of the trend"), Error);
}

TEST_CASE("noise that is known is used as it is: a variance, or what replicates say") {
  const Space line({continuous("x", 0, 1)});
  Eigen::MatrixXd points(60, 1);
  for (int i = 0; i < 60; ++i) points(i, 0) = (i % 20) / 19.0;
  Stream noise(4, "noise");
  const Data data = data_of(
      points, [&](const Eigen::VectorXd& x) { return std::sin(6 * x[0]) + 0.2 * noise.normal(); }, true);
  const auto variance = [&](KrigingOptions options) {
    return kriging_fit(options)(line, data, 1)
        ->predict(points.topRows(1), {.variance = true})
        .noise_variance(0, 0);
  };
  using Nugget = KrigingOptions::Nugget;
  const PureError pure = pure_error(data, data.outputs.col(0), Eigen::VectorXd::Ones(60));
  // A little above, if the errors left out ask for larger deviations.
  CHECK(variance({.nugget = Nugget::replicates}) >= doctest::Approx(pure.ss / pure.df).epsilon(0.02));
  CHECK(variance({.nugget = Nugget::replicates}) < 1.4 * pure.ss / pure.df);
  CHECK(variance({.nugget = Nugget::fixed, .noise_variance = 0.09}) == doctest::Approx(0.09).epsilon(0.05));
  const Data once = data_of(spread_out(line, 9, 1), [](const Eigen::VectorXd& x) { return x[0]; });
  CHECK_THROWS_WITH_AS(kriging_fit({.nugget = Nugget::replicates})(line, once, 1),
                       doctest::Contains("no run is repeated"), Error);
}

TEST_CASE("of three choices each has its own length, so that an odd one out is found") {
  const Space space = mixed();
  const auto f = [](const Eigen::VectorXd& x) {
    return std::sin(x[0]) * (x[3] == 2 ? -3.0 : 1.0) + x[1] + (x[3] == 2 ? 4.0 : 0.0);
  };
  const Data data = data_of(spread_out(space, 70, 5), f);
  const auto fitted = kriging_fit({.kernel = Kernel::matern52})(space, data, 1);
  const Kriging::State& s = as_kriging(fitted).state();
  // Choices 0 and 1 are alike, 2 differs from both.
  const std::vector<int> length = feature_lengths(space);
  const std::vector<int> parameter = feature_parameters(space);
  std::vector<double> of_choice;
  for (std::size_t k = 0; k < length.size(); ++k)
    if (parameter[k] == 3) of_choice.push_back(s.theta[length[k]]);
  REQUIRE(of_choice.size() == 3);
  CHECK(of_choice[2] < 0.5 * std::max(of_choice[0], of_choice[1]));
}

TEST_CASE("the prior keeps a handful of runs from absurd lengths") {
  const Space space = cube(6);
  const Data data =
      data_of(spread_out(space, 8, 3), [](const Eigen::VectorXd& x) { return x[0] + 0.3 * x[1] * x[2]; });
  const auto with = kriging_fit({.kernel = Kernel::matern52})(space, data, 1);
  CHECK(as_kriging(with).state().theta.minCoeff() > 0.1);
}

TEST_CASE("mean and variance are the textbook's, and vanish at the runs") {
  const Data data = data_of(sobol(branin_space, {.runs = 25}, 2).points, branin);
  const auto fitted = kriging_fit({.kernel = Kernel::matern52})(branin_space, data, 1);
  const Kriging::State& s = as_kriging(fitted).state();
  const Prediction here = fitted->predict(data.inputs, {.variance = true});
  // K α = y − μ, so that the mean at a run misses it by exactly nugget·α.
  CHECK((here.mean + s.nugget * s.weights - data.outputs).cwiseAbs().maxCoeff() < 1e-6);
  CHECK((here.mean - data.outputs).cwiseAbs().maxCoeff() <
        1e-6 * (data.outputs.maxCoeff() - data.outputs.minCoeff()));
  CHECK(here.model_variance.maxCoeff() < 1e-6 * s.sigma2);

  const Eigen::MatrixXd at = sample_region(branin_space, 12, Values::physical, 3, "at");
  Eigen::MatrixXd x = features(branin_space, at);
  for (int k = 0; k < 2; ++k) x.col(k) /= s.theta[k];
  const Eigen::MatrixXd k = plain_correlations(s.runs, s.runs) + s.nugget * Eigen::MatrixXd::Identity(25, 25),
                        c = plain_correlations(s.runs, x);
  const Eigen::MatrixXd solved = k.ldlt().solve(c);
  const Eigen::VectorXd one = Eigen::VectorXd::Ones(25), k1 = k.ldlt().solve(one), y = data.outputs;
  const double mu = k1.dot(y) / k1.sum();
  CHECK(s.centre + s.beta[0] == doctest::Approx(mu).epsilon(1e-6));
  const Prediction p = fitted->predict(at, {.variance = true});
  for (Eigen::Index i = 0; i < 12; ++i) {
    CHECK(p.mean(i, 0) == doctest::Approx(mu + solved.col(i).dot((y.array() - mu).matrix())).epsilon(1e-5));
    const double trend = 1 - one.dot(solved.col(i));
    CHECK(p.model_variance(i, 0) ==
          doctest::Approx(s.sigma2 * (1 - c.col(i).dot(solved.col(i)) + trend * trend / k1.sum()))
              .epsilon(1e-4));
  }
  const Eigen::MatrixXd joint = fitted->covariance(at, 0);
  CHECK((joint.diagonal() - p.model_variance).norm() < 1e-8 * s.sigma2);
  CHECK((joint - joint.transpose()).norm() == 0);
}

TEST_CASE("Branin is predicted far better than by its mean, and intervals hold") {
  const Data data = data_of(spread_out(branin_space, 40, 4), branin);
  const auto fitted = kriging_fit()(branin_space, data, 1);
  const Data fresh = data_of(sample_region(branin_space, 1000, Values::physical, 5, "fresh"), branin);
  const Prediction p = fitted->predict(fresh.inputs, {.variance = true});
  const double spread = std::sqrt((fresh.outputs.array() - fresh.outputs.mean()).square().mean());
  CHECK(std::sqrt((p.mean - fresh.outputs).squaredNorm() / 1000) < 0.05 * spread);
  const Intervals bounds = fitted->intervals(p, 0.95);
  const auto inside = (fresh.outputs.array() >= bounds.prediction_low.array() &&
                       fresh.outputs.array() <= bounds.prediction_high.array())
                          .count();
  CHECK(inside > 850);
}

TEST_CASE("noise is found where it is, and not where it is not") {
  const Eigen::MatrixXd points = spread_out(branin_space, 80, 6);
  const auto smooth = kriging_fit()(branin_space, data_of(points, branin), 1);
  CHECK_FALSE(as_kriging(smooth).state().nugget_is_noise);
  Stream noise(1, "noise");
  const auto rough = kriging_fit()(
      branin_space,
      data_of(
          points, [&](const Eigen::VectorXd& x) { return branin(x) + 10 * noise.normal(); }, true),
      1);
  REQUIRE(as_kriging(rough).state().nugget_is_noise);
  CHECK(std::sqrt(rough->predict(points.topRows(1), {.variance = true}).noise_variance(0, 0)) ==
        doctest::Approx(10).epsilon(0.35));
}

TEST_CASE("without a kernel the likeliest is taken, the Gaussian only if it is so by two") {
  const Space space = cube(2);
  int gaussian = 0, held_back = 0;
  for (Seed seed = 1; seed <= 10; ++seed) {
    CAPTURE(seed);
    const Data data = data_of(
        latin_hypercube(space, {.runs = 16, .criterion = LatinHypercubeOptions::Criterion::none}, seed)
            .points,
        [&](const Eigen::VectorXd& x) {
          return std::sin(5 * x[0]) + (seed % 2 == 0 ? std::abs(x[1] - 0.4) : std::cos(4 * x[1] + x[0]));
        });
    const auto state = [&](std::optional<Kernel> kernel) {
      const auto fitted = kriging_fit({.kernel = kernel})(space, data, seed);
      return std::pair(static_cast<const Kriging&>(*fitted).state().kernel,
                       static_cast<const Kriging&>(*fitted).state().log_likelihood);
    };
    double others = -INFINITY;
    for (const Kernel kernel : {Kernel::matern52, Kernel::product52, Kernel::matern32})
      others = std::max(others, state(kernel).second);
    const double smooth = state(Kernel::gaussian).second;
    CHECK((state(std::nullopt).first == Kernel::gaussian) == (smooth > others + 2));
    gaussian += smooth > others + 2;
    held_back += smooth > others && smooth <= others + 2;
  }
  CHECK(gaussian > 0);
  CHECK(held_back > 0);
}

TEST_CASE("duplicates, near-duplicates and differing replicates do not break it") {
  Eigen::MatrixXd points = spread_out(branin_space, 20, 7);
  points.row(1) = points.row(0);
  points.row(3) = points.row(2).array() + 1e-9;
  CHECK(kriging_fit()(branin_space, data_of(points, branin), 1)->predict(points).mean.allFinite());
  Data data = data_of(points, branin);
  data.outputs(1, 0) += 5;
  const auto fitted = kriging_fit()(branin_space, data, 1);
  CHECK(as_kriging(fitted).state().nugget_is_noise);
}

TEST_CASE("levels and choices carry what depends on them") {
  const Space space = mixed();
  const auto f = [](const Eigen::VectorXd& x) {
    return x[0] + 3 * x[2] + (x[3] == 1 ? 10.0 : x[3] == 2 ? -4.0 : 0.0);
  };
  const auto fitted = kriging_fit()(space, data_of(spread_out(space, 60, 8), f), 1);
  const Data fresh = data_of(sample_region(space, 200, Values::physical, 9, "fresh"), f);
  CHECK((fitted->predict(fresh.inputs).mean - fresh.outputs).cwiseAbs().maxCoeff() < 1.5);
}

TEST_CASE("one run, a constant response and NaN are refused with a reason") {
  const auto fit = kriging_fit();
  CHECK_THROWS_WITH_AS(
      fit(cube(1), Data{Eigen::MatrixXd::Zero(1, 1), Eigen::MatrixXd::Zero(1, 1), {}, false}, 1),
      doctest::Contains("at least two"), Error);
  Data flat = data_of(spread_out(cube(1), 5, 1), [](const Eigen::VectorXd&) { return 4.0; });
  CHECK_THROWS_WITH_AS(fit(cube(1), flat, 1), doctest::Contains("same in every run"), Error);
  flat.outputs(2, 0) = NAN;
  CHECK_THROWS_WITH_AS(fit(cube(1), flat, 1), doctest::Contains("not a finite number"), Error);
}

TEST_CASE("a curve is one surrogate an axis point, each from the runs that have it") {
  Data data = data_of(spread_out(branin_space, 20, 10), branin);
  data.outputs.conservativeResize(20, 3);
  data.outputs.col(1) = 2 * data.outputs.col(0);
  data.outputs.col(2) = data.outputs.col(0).array() + 1;
  data.outputs(4, 1) = NAN;
  const auto fitted = along_axis({kriging_fit()})(branin_space, data, 1);
  const Prediction p = fitted->predict(data.inputs, {.variance = true});
  CHECK(p.mean.cols() == 3);
  CHECK((p.mean.col(0) - data.outputs.col(0)).norm() < 1e-3);
  CHECK(p.model_variance(4, 1) > 1e3 * p.model_variance(4, 0));  // the missing one is interpolated
}

TEST_CASE("results are the same bytes on one thread and on two") {
  const Data data = data_of(spread_out(branin_space, 30, 11), branin);
  const Eigen::MatrixXd at = sample_region(branin_space, 5000, Values::physical, 12, "at");
  const auto run = [&](int threads) {
    const ParallelLimit limit(threads);
    return predict_in_blocks(*kriging_fit()(branin_space, data, 1), at, {.variance = true}, parallel_for);
  };
  const Prediction one = run(1), two = run(2);
  CHECK(one.mean == two.mean);
  CHECK(one.model_variance == two.model_variance);
}
