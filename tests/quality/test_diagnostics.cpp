#include <doctest/doctest.h>

#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/diagnostics.hpp>
#include <renth/quality/quality.hpp>
#include <renth/surrogate/data.hpp>
#include <support_regression.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("leverage, PRESS, studentised residuals, Cook and DFFITS are those of refits without the run") {
  const Space space = mixed();
  const Terms terms = parse_terms(space, "products");
  for (const bool weighted : {false, true}) {
    Data data = noisy_runs(space, 30, 8);
    if (weighted)
      data.weights = Eigen::VectorXd::NullaryExpr(30, [](Eigen::Index i) { return 1 + double(i % 3); });
    const Regression fit = regress(space, data, terms);
    const Diagnostics d = diagnose(fit);
    const Eigen::VectorXd y = data.outputs.col(0).cwiseProduct(fit.root), beta = fit.beta.cast<double>();
    const double p = double(fit.size()), s2 = fit.sigma2();
    for (Eigen::Index i = 0; i < 30; ++i) {
      CAPTURE(i);
      const Eigen::MatrixXd rest = without_row(fit.x, i);
      const SlowFit slow = slow_fit(rest, without_row(y, i));
      const double left_out = fit.x.row(i).dot(slow.beta);  // weighted scale
      CHECK(d.left_out[i] * fit.root[i] == doctest::Approx(left_out).epsilon(1e-8));
      const Eigen::MatrixXd inverse = (fit.x.transpose() * fit.x).inverse();
      CHECK(d.leverage[i] == doctest::Approx((fit.x.row(i) * inverse).dot(fit.x.row(i))).epsilon(1e-9));
      const double s_without = std::sqrt(slow.sse / double(29 - fit.size()));
      const double e = y[i] - fit.x.row(i).dot(beta);
      CHECK(d.external[i] == doctest::Approx(e / (s_without * std::sqrt(1 - d.leverage[i]))).epsilon(1e-7));
      CHECK(d.internal[i] == doctest::Approx(e / std::sqrt(s2 * (1 - d.leverage[i]))).epsilon(1e-8));
      CHECK(d.cook[i] ==
            doctest::Approx((fit.x * (beta - slow.beta)).squaredNorm() / (p * s2)).epsilon(1e-7));
      CHECK(d.dffits[i] ==
            doctest::Approx((fit.x.row(i).dot(beta) - left_out) / (s_without * std::sqrt(d.leverage[i])))
                .epsilon(1e-7));
    }
  }
}

TEST_CASE("PRESS and predicted R² of the quality are sums over refits") {
  const Space space = cube(2);
  const Data data = noisy_runs(space, 15, 12);
  const Terms terms = parse_terms(space, "quadratic");
  const auto model = polynomial_fit({terms})(space, data, 1);
  const Folds folds = make_folds(space, data, 1);
  const CrossValidation cv =
      cross_validate(space, data, folds, polynomial_fit({terms, Confounded::leave_out}), 1);
  const Quality q = measure_quality(space, *model, data, cv, nullptr);
  REQUIRE(folds.count == 15);  // leave-one-out, so that cross-validation is the brute force of PRESS
  CHECK(q.r2_predicted == doctest::Approx(q.q2).epsilon(1e-9));
  CHECK(q.press == doctest::Approx((data.outputs - cv.predicted).squaredNorm()).epsilon(1e-9));
}

TEST_CASE("a run that is wrong stands out by its number, and one that decides alone is said") {
  const Space space = cube(2, -1, 1);
  Data data = noisy_runs(space, 25, 3);
  data.outputs(7, 0) += 6;
  const Diagnostics d = diagnose(regress(space, data, parse_terms(space, "quadratic")));
  REQUIRE(!d.standouts.empty());
  CHECK(d.standouts[0].row == 7);
  CHECK(d.standouts[0].why.find("above") != std::string::npos);
  CHECK(d.outlier_bound > 3);

  Data alone = noisy_runs(space, 12, 4);
  alone.inputs.col(1).setConstant(-1);
  alone.inputs(5, 1) = 1;
  const Diagnostics a = diagnose(regress(space, alone, parse_terms(space, "linear")));
  CHECK(a.leverage[5] == doctest::Approx(1));
  CHECK(std::isnan(a.external[5]));
  bool told = false;
  for (const Standout& s : a.standouts)
    told = told || (s.row == 5 && s.why.find("alone") != std::string::npos);
  CHECK(told);
}

TEST_CASE("Shapiro–Wilk gives the published example, and both tests hold their level") {
  // Weights of eleven men: S. S. Shapiro and M. B. Wilk, 1965, section 4.2: W = 0.79, between 1 % and 2 %
  // points.
  Eigen::VectorXd men(11);
  men << 148, 154, 158, 160, 161, 162, 166, 170, 182, 195, 236;
  const TestResult w = shapiro_wilk(men);
  CHECK(w.statistic == doctest::Approx(0.79).epsilon(0.005));
  CHECK((w.p > 0.004 && w.p < 0.01));
  CHECK(std::isnan(shapiro_wilk(Eigen::VectorXd::Constant(10, 3.0)).p));
  for (const Eigen::Index n : {3, 5, 12, 80}) {
    CAPTURE(n);
    int w_below = 0, a_below = 0, caught = 0;
    constexpr int trials = 2000;
    for (int k = 0; k < trials; ++k) {
      Stream stream(Seed(100 + n), "normal", std::uint64_t(k));
      Eigen::VectorXd x(n);
      for (double& v : x) v = stream.normal();
      w_below += shapiro_wilk(x).p < 0.05;
      if (n >= 12) a_below += anderson_darling(x).p < 0.05;
      caught += shapiro_wilk(x.array().exp().matrix()).p < 0.05;
    }
    CHECK(std::abs(w_below / double(trials) - 0.05) < 0.015);  // three standard errors
    if (n >= 12) CHECK(std::abs(a_below / double(trials) - 0.05) < 0.015);
    if (n == 80) CHECK(caught == trials);
  }
}

TEST_CASE("Durbin–Watson and Breusch–Pagan hold their level and find what they are for") {
  const Space space = cube(3, -1, 1);
  const Terms terms = parse_terms(space, "linear");
  const Eigen::MatrixXd points = sample_region(space, 24, Values::physical, 5, "points");
  int order = 0, variance = 0, drift = 0, fan = 0;
  constexpr int trials = 1500;
  for (int k = 0; k < trials; ++k) {
    Stream stream(77, "errors", std::uint64_t(k));
    double walk = 0;
    Data plain = data_of(
             points, [&](const Eigen::VectorXd&) { return 0.0; }, true),
         drifting = plain, fanning = plain;
    for (Eigen::Index i = 0; i < 24; ++i) {
      const double e = stream.normal(), level = 10 + 4 * points(i, 0);
      walk = 0.9 * walk + e;
      plain.outputs(i, 0) = level + e;
      drifting.outputs(i, 0) = level + walk;
      fanning.outputs(i, 0) = level + std::exp(0.35 * (level - 10)) * e;
    }
    const Diagnostics d = diagnose(regress(space, plain, terms));
    order += d.order.p < 0.05;
    variance += d.variance.p < 0.05;
    drift += diagnose(regress(space, drifting, terms)).order.p < 0.05;
    fan += diagnose(regress(space, fanning, terms)).variance.p < 0.05;
  }
  CHECK(std::abs(order / double(trials) - 0.05) < 0.017);
  CHECK(variance / double(trials) < 0.067);
  CHECK(drift > 0.75 * trials);
  CHECK(fan > 0.5 * trials);
}
