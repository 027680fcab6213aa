// Runs in whole plots: two errors, and each term judged by its own.
#include <doctest/doctest.h>

#include <Eigen/Dense>
#include <renth/fit/plot_variance.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/quality/regression_report.hpp>
#include <renth/selection/choose_terms.hpp>
#include <set>
#include <support.hpp>

using namespace renth;
using namespace renth::test;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

/// One hard parameter and two others between −1 and 1.
Space one_hard() {
  std::vector<Parameter> p = cube(3, -1, 1).parameters();
  p[0].hard = true;
  return Space(p);
}

/// 2 + 1.5 x2 − x3 + hard·x1, with errors of plots and runs.
Data measured(const MatrixXd& points, const Eigen::VectorXi& plots, double plot_sd, double run_sd, Seed seed,
              double hard = 0) {
  Stream stream(seed, "measured");
  VectorXd of_plot(plots.maxCoeff() + 1);
  for (double& v : of_plot) v = plot_sd * stream.normal();
  Data data = data_of(
      points, [&](const VectorXd& x) { return 2 + 1.5 * x[1] - x[2] + hard * x[0]; }, true);
  for (int i = 0; i < data.size(); ++i) data.outputs(i, 0) += of_plot[plots[i]] + run_sd * stream.normal();
  data.plots = plots;
  return data;
}

/// Eight plots of a 2²; the hard parameter low in one half of them.
std::pair<MatrixXd, Eigen::VectorXi> balanced() {
  MatrixXd points(32, 3);
  Eigen::VectorXi plots(32);
  for (int i = 0; i < 32; ++i) {
    plots[i] = i / 4;
    points.row(i) << (i / 4 % 2 ? 1 : -1), (i % 2 ? 1 : -1), (i / 2 % 2 ? 1 : -1);
  }
  return {points, plots};
}

/// An optimal plan for a quadratic.
Plan in_plots(const Space& space, int runs, int plots) {
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.runs = runs;
  o.whole_plots = plots;
  o.restarts = 2;
  return optimal(space, o, 1);
}

std::unique_ptr<const Surrogate> fitted(const Space& space, const Data& data, const char* terms) {
  return polynomial_fit({.terms = parse_terms(space, terms)})(space, data, 1);
}

}  // namespace

TEST_CASE("a balanced plan gives the analysis of variance of the textbooks for split plots") {
  const Space space = one_hard();
  const auto [points, plots] = balanced();
  for (const double plot_sd : {2.0, 0.0}) {
    const Data data = measured(points, plots, plot_sd, 0.3, 5, 0.7);
    const auto surrogate = fitted(space, data, "1 + x1 + x2 + x3 + x1*x2");
    const Polynomial& model = *polynomial_of(*surrogate);
    // By plot means: x1 against the scatter of means round it.
    VectorXd mean = VectorXd::Zero(8), x1(8);
    for (int i = 0; i < 32; ++i) mean[plots[i]] += data.outputs(i, 0) / 4, x1[plots[i]] = points(i, 0);
    const double effect = x1.dot(mean) / 8, total = mean.mean();
    const double between = 4 * (mean.array() - total - effect * x1.array()).square().sum() / 6;
    // Within plots: what x2, x3 and x1·x2 leave of the deviations from plot means.
    VectorXd deviation(32);
    for (int i = 0; i < 32; ++i) deviation[i] = data.outputs(i, 0) - mean[plots[i]];
    double left = deviation.squaredNorm();
    std::vector<VectorXd> columns = {points.col(1), points.col(2), points.col(0).cwiseProduct(points.col(1))};
    for (const VectorXd& c : columns) left -= std::pow(c.dot(deviation), 2) / 32;
    const double within = left / (32 - 8 - 3);
    const auto rows = model.coefficients(0.95);
    CHECK(rows[1].value == doctest::Approx(effect));
    CHECK(rows[1].std_error == doctest::Approx(std::sqrt(between / 32)).epsilon(1e-6));
    CHECK(rows[1].p ==
          doctest::Approx(student_t_two_sided(effect / std::sqrt(between / 32), 6)).epsilon(1e-6));
    CHECK(rows[2].std_error == doctest::Approx(std::sqrt(within / 32)).epsilon(1e-6));
    CHECK(rows[2].p ==
          doctest::Approx(student_t_two_sided(rows[2].value / std::sqrt(within / 32), 21)).epsilon(1e-6));
    const RegressionReport report = report_regression(model, data);
    CHECK(report.strata.plots == 8);
    CHECK(report.strata.df_between == 6);
    CHECK(report.strata.df_within == 21);
    CHECK(report.strata.sd_within == doctest::Approx(std::sqrt(within)).epsilon(1e-6));
    CHECK(report.strata.sd_between ==
          doctest::Approx(std::sqrt(std::max(0.0, (between - within) / 4))).epsilon(1e-5));
    CHECK(report.anova.find("x1")->p == doctest::Approx(rows[1].p));
    CHECK(report.anova.find("x3")->p == doctest::Approx(rows[3].p));
    // What is predicted is a run in a plot of its own.
    const Prediction at = surrogate->predict(MatrixXd::Zero(1, 3), {.variance = true});
    CHECK(at.noise_variance(0, 0) ==
          doctest::Approx(within + std::max(0.0, (between - within) / 4)).epsilon(1e-5));
    CHECK(at.degrees_of_freedom == 6);
  }
}

TEST_CASE("the ratio of variances is where the restricted likelihood, written out, is largest") {
  const Space space = one_hard();
  const Terms terms = parse_terms(space, "quadratic");
  const Plan plan = in_plots(space, 25, 8);
  const Data data = measured(plan.points, plan.blocks, 1, 0.5, 3);
  const MatrixXd x = model_matrix(space, terms, plan.points);
  const VectorXd y = data.outputs.col(0);
  const auto likelihood = [&](double ratio) {
    MatrixXd v = MatrixXd::Identity(25, 25);
    for (int i = 0; i < 25; ++i)
      for (int j = 0; j < 25; ++j) v(i, j) += plan.blocks[i] == plan.blocks[j] ? ratio : 0.0;
    const MatrixXd w = v.inverse(), m = x.transpose() * w * x,
                   p = w - w * x * m.inverse() * x.transpose() * w;
    return -0.5 * (std::log(v.determinant()) + std::log(m.determinant()) +
                   double(25 - x.cols()) * std::log(y.dot(p * y)));
  };
  const double found = variance_ratio_of(x, y, WholePlots(plan.blocks)), top = likelihood(found);
  for (const double factor : {0.5, 0.9, 0.99, 1.01, 1.1, 2.0}) CHECK(likelihood(found * factor) < top);
  // And the coefficients are those of generalised least squares, by V itself.
  MatrixXd v = MatrixXd::Identity(25, 25);
  for (int i = 0; i < 25; ++i)
    for (int j = 0; j < 25; ++j) v(i, j) += plan.blocks[i] == plan.blocks[j] ? found : 0.0;
  const MatrixXd w = v.inverse();
  const VectorXd beta = (x.transpose() * w * x).ldlt().solve(x.transpose() * w * y);
  const auto surrogate = fitted(space, data, "quadratic");
  CHECK((polynomial_of(*surrogate)->state().beta - beta).norm() < 1e-8 * beta.norm());
}

TEST_CASE("intervals of coefficients hold in whole plots, where those of independent errors do not" *
          doctest::test_suite("long")) {
  const Space space = one_hard();
  const Plan plan = in_plots(space, 30, 10);
  for (const double plot_sd : {0.0, 0.5, 2.0}) {
    constexpr int seeds = 400;
    int hard = 0, easy = 0, naive = 0, new_run = 0;
    for (int s = 0; s < seeds; ++s) {
      Data data = measured(plan.points, plan.blocks, plot_sd, 0.5, Seed(s), 0.7);
      const auto surrogate = fitted(space, data, "quadratic");
      const auto rows = polynomial_of(*surrogate)->coefficients(0.95);
      hard += rows[1].low < 0.7 && 0.7 < rows[1].high;
      easy += rows[2].low < 1.5 && 1.5 < rows[2].high;
      const VectorXd at{{0.3, -0.4, 0.2}};
      Stream stream(Seed(s), "new run");
      const double run = 2 - 0.6 - 0.2 + 0.7 * 0.3 + plot_sd * stream.normal() + 0.5 * stream.normal();
      const Intervals intervals =
          surrogate->intervals(surrogate->predict(at.transpose(), {.variance = true}), 0.95);
      new_run += intervals.prediction_low(0, 0) < run && run < intervals.prediction_high(0, 0);
      data.plots.resize(0);
      const auto independent = fitted(space, data, "quadratic");
      const auto wrong = polynomial_of(*independent)->coefficients(0.95);
      naive += wrong[1].low < 0.7 && 0.7 < wrong[1].high;
    }
    INFO("plots scatter by ", plot_sd, ": ", hard, " ", easy, " ", new_run, "; independent ", naive);
    CHECK(hard >= 0.92 * seeds);
    CHECK(easy >= 0.92 * seeds);
    CHECK(new_run >= 0.92 * seeds);
    if (plot_sd == 2) CHECK(naive < 0.85 * seeds);
  }
}

TEST_CASE("a term between plots that does nothing is dropped as seldom wrongly as promised" *
          doctest::test_suite("long")) {
  const Space space = one_hard();
  const auto [points, plots] = balanced();
  int kept = 0, kept_as_independent = 0;
  constexpr int seeds = 300;
  for (int s = 0; s < seeds; ++s) {
    Data data = measured(points, plots, 1, 0.3, Seed(s));
    TermChoice choice;
    choice.method = TermChoice::Method::backward;
    choice.leave = 0.05;
    choice.enter = 0.05;
    const auto has_hard = [&](const Data& d) {
      const TermSelection selected = choose_terms(space, d, parse_terms(space, "linear"), choice);
      return std::count(selected.terms.begin(), selected.terms.end(), parse_terms(space, "x1 - 1")[0]) > 0;
    };
    kept += has_hard(data);
    data.plots.resize(0);
    kept_as_independent += has_hard(data);
  }
  INFO(kept, " and ", kept_as_independent, " of ", seeds);
  CHECK(kept <= 0.09 * seeds);
  CHECK(kept_as_independent > 0.2 * seeds);
}

TEST_CASE("whole plots are left out together, and saved with the model") {
  const Space space = one_hard();
  const auto [points, plots] = balanced();
  const Data data = measured(points, plots, 1, 0.3, 2);
  const std::vector<int> group = left_out_together(space, data, parse_terms(space, "linear"));
  for (int i = 0; i < 32; ++i)
    for (int j = 0; j < 32; ++j) CHECK((group[i] == group[j]) == (plots[i] == plots[j]));
  // Three plots, one of which alone is in the middle: without it the square is not to be told.
  MatrixXd few(9, 3);
  Eigen::VectorXi three(9);
  Stream stream(1, "few");
  for (int i = 0; i < 9; ++i) {
    three[i] = i / 3;
    few.row(i) << i / 3 - 1, stream.uniform(), stream.uniform();
  }
  Data bent = measured(few, three, 0.1, 0.1, 1);
  const std::vector<int> single = left_out_together(space, bent, parse_terms(space, "1 + x1 + x1^2"));
  CHECK(std::set<int>(single.begin(), single.end()).size() == 9);
  const auto surrogate = fitted(space, bent, "1 + x1 + x2 + x1^2");
  // No degrees of freedom are left between three plots: no test, and it is said.
  CHECK(std::isnan(polynomial_of(*surrogate)->coefficients(0.95)[1].p));
  CHECK(std::isfinite(polynomial_of(*surrogate)->coefficients(0.95)[2].p));
  const auto again = Polynomial::load(surrogate->save());
  CHECK(polynomial_of(*again)->state().freedom.size() == 4);
  CHECK(polynomial_of(*again)->state().plot_variance == polynomial_of(*surrogate)->state().plot_variance);
}
