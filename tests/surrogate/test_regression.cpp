#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/tall_qr.hpp>
#include <renth/quality/anova.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/transform.hpp>
#include <support_regression.hpp>

using namespace renth;
using namespace renth::test;

namespace {

double digits(double found, double certified) {
  return -std::log10(std::max(std::abs(found - certified) / std::abs(certified), 1e-17));
}

}  // namespace

TEST_CASE("Longley's data come out to ten digits, in natural units, with their errors and sums of squares") {
  const auto [space, data] = longley();
  const Terms terms = parse_terms(space, "linear");
  const auto model = polynomial_fit({terms})(space, data, 1);
  const auto& polynomial = static_cast<const Polynomial&>(*model);
  // Certified values of the Statistical Reference Datasets.
  const double certified[] = {-3482258.63459582, 15.0618722713733,    -0.0358191792925910, -2.02022980381683,
                              -1.03322686717359, -0.0511041056535807, 1829.15146461355};
  const double errors[] = {84.9149257747669,  0.0334910077722432, 0.488399681651699,
                           0.214274163161675, 0.226073200069370,  455.478499142212};
  const NaturalPolynomial natural = polynomial.natural();
  for (Eigen::Index t = 0; t < 7; ++t) CHECK(digits(natural.coefficients[t], certified[t]) > 12);
  const std::vector<Coefficient> c = polynomial.coefficients(0.95);
  for (Eigen::Index j = 0; j < 6; ++j)
    CHECK(digits(c[std::size_t(j) + 1].std_error * 2 / (space[j].high - space[j].low), errors[j]) > 12);
  const Regression fit = regression_of(polynomial, data);
  CHECK(digits(std::sqrt(fit.sigma2()), 304.854073561965) > 12);
  CHECK(digits(1 - fit.sse / fit.sst, 0.995479004577296) > 12);
  const Anova anova = analyse_variance(space, data, fit);
  CHECK(digits(anova.find("model")->ss, 184172401.944494) > 12);
  CHECK(digits(anova.find("model")->f, 330.285339234588) > 12);
  CHECK(digits(anova.find("residual")->ss, 836424.055505915) > 12);
}

TEST_CASE("where the data are exact, polynomials of degree five come out to ten digits in natural units") {
  // Two published trials: y = Σ x^k and y = Σ (x/10)^k at x = 0 … 20 (R. H. Wampler, JASA 65, 1970).
  for (const double scale : {1.0, 0.1}) {
    Data data{Eigen::MatrixXd(21, 1), Eigen::MatrixXd(21, 1), {}, false};
    for (int i = 0; i <= 20; ++i) {
      data.inputs(i, 0) = i;
      double y = 0;
      for (int k = 5; k >= 0; --k)
        y = scale == 1 ? y * i + 1 : y + std::round(std::pow(i, k)) * std::pow(10, 5 - k);
      data.outputs(i, 0) = scale == 1 ? y : y / 1e5;
    }
    const Space space({continuous("x", 0, 20)});
    const auto model = polynomial_fit({parse_terms(space, "1 + x + x^2 + x^3 + x^4 + x^5")})(space, data, 1);
    const NaturalPolynomial natural = static_cast<const Polynomial&>(*model).natural();
    for (Eigen::Index k = 0; k < 6; ++k) {
      CAPTURE(k);
      CHECK(digits(natural.coefficients[k], std::pow(scale, k)) > 10);
    }
    if (scale == 1) CHECK(regression_of(static_cast<const Polynomial&>(*model), data).sse < 1e-24);
  }
}

TEST_CASE("a huge offset takes nothing from the coefficients, and neither do units twelve orders apart") {
  const Space plain = cube(2, -1, 1);
  const Data data = noisy_runs(plain, 25, 4);
  const Terms terms = parse_terms(plain, "quadratic");
  const Regression reference = regress(plain, data, terms);
  Data far = data;
  // A power of two near 10⁹ below the noise's last bits, so that shifting rounds little.
  for (double& y : far.outputs.reshaped()) y = std::round(y * 0x1p20) * 0x1p-20;
  const Regression near = regress(plain, far, terms);
  far.outputs.array() += 1e9;
  const Regression shifted = regress(plain, far, terms);
  for (Eigen::Index j = 1; j < near.size(); ++j)
    CHECK(double(shifted.beta[j]) == doctest::Approx(double(near.beta[j])).epsilon(1e-12));
  CHECK(shifted.sse == doctest::Approx(near.sse).epsilon(1e-12));
  CHECK(shifted.sst == doctest::Approx(near.sst).epsilon(1e-12));

  const Space units({continuous("x1", -1e-6, 1e-6), continuous("x2", 1e9 - 1e6, 1e9 + 1e6)});
  Data scaled = data;
  scaled.inputs.col(0) *= 1e-6;
  scaled.inputs.col(1) = (data.inputs.col(1) * 1e6).array() + 1e9;
  const Regression odd = regress(units, scaled, parse_terms(units, "quadratic"));
  for (Eigen::Index j = 0; j < odd.size(); ++j)
    CHECK(double(odd.beta[j]) == doctest::Approx(double(reference.beta[j])).epsilon(1e-8));
}

TEST_CASE("a weight of two is a run made twice, and blocks are fixed terms") {
  const Space space = mixed();
  Data data = noisy_runs(space, 40, 5);
  data.blocks = Eigen::VectorXi::NullaryExpr(40, [](Eigen::Index i) { return int(i % 3); });
  data.outputs.col(0) += 2.0 * data.blocks.cast<double>();
  Data weighted = data;
  weighted.weights = Eigen::VectorXd::NullaryExpr(40, [](Eigen::Index i) { return i % 4 == 0 ? 2.0 : 1.0; });
  std::vector<Eigen::Index> twice;
  for (Eigen::Index i = 0; i < 40; ++i)
    for (int k = 0; k < int(weighted.weights[i]); ++k) twice.push_back(i);
  const Terms terms = parse_terms(space, "products");
  const Regression a = regress(space, weighted, terms), b = regress(space, data.rows(twice), terms);
  CHECK((a.beta - b.beta).cast<double>().norm() < 1e-11);
  CHECK(a.sse == doctest::Approx(b.sse).epsilon(1e-11));
  CHECK(a.sst == doctest::Approx(b.sst).epsilon(1e-11));
  CHECK((a.covariance(a.column) - b.covariance(b.column)).norm() < 1e-11);

  // The same by a dense solve with an indicator for each block.
  Eigen::MatrixXd x(40, Eigen::Index(terms.size()) + 2);
  x << model_matrix(space, terms, data.inputs), (data.blocks.array() == 1).cast<double>(),
      (data.blocks.array() == 2).cast<double>();
  const Regression c = regress(space, data, terms);
  const SlowFit slow = slow_fit(x, data.outputs);
  CHECK(c.sse == doctest::Approx(slow.sse).epsilon(1e-10));
  for (std::size_t t = 1; t < terms.size(); ++t)
    CHECK(double(c.beta[c.column[t]]) == doctest::Approx(slow.beta[Eigen::Index(t)]).epsilon(1e-9));
  CHECK(c.leverage().sum() == doctest::Approx(double(c.size())).epsilon(1e-10));

  weighted.weights[3] = 0;
  CHECK_THROWS_WITH_AS(regress(space, weighted, terms), doctest::Contains("weights are above zero"), Error);
}

TEST_CASE("the factor of a tall matrix is that of its cross-products, whatever the threads") {
  Stream stream(3, "tall");
  Eigen::MatrixXd x(20'001, 7);
  for (double& v : x.reshaped()) v = stream.normal();
  x.col(4) += 1e3 * x.col(2);
  const Eigen::MatrixXd r = triangular_factor(x), cross = x.transpose() * x;
  CHECK((r.transpose() * r - cross).norm() < 1e-12 * cross.norm());
  CHECK(r.diagonal().minCoeff() > 0);
  CHECK(hat_diagonal(x, r).sum() == doctest::Approx(7).epsilon(1e-11));
  const ParallelLimit one(1);
  CHECK(triangular_factor(x) == r);
}

TEST_CASE("what cannot be fitted is named") {
  const Space space = cube(2);
  Data data = noisy_runs(space, 12, 7);
  data.inputs.col(1).setConstant(0.5);
  CHECK_THROWS_WITH_AS(regress(space, data, parse_terms(space, "linear")), doctest::Contains("x2"), Error);
  CHECK_THROWS_WITH_AS(regress(space, data.rows({0, 1}), parse_terms(space, "linear")),
                       doctest::Contains("2 runs are too few for 3 terms"), Error);
  data.outputs(4, 0) = NAN;
  CHECK_THROWS_WITH_AS(regress(space, data, parse_terms(space, "1 + x1")), doctest::Contains("not a finite"),
                       Error);
  data.outputs(4, 0) = -1;
  CHECK_THROWS_WITH_AS(regress(space, data, parse_terms(space, "1 + x1"), Transform{0}),
                       doctest::Contains("above zero"), Error);
}

TEST_CASE("a transformed fit predicts the median and carries its intervals back") {
  const Space space = cube(1, 0, 4);
  Stream stream(9, "noise");
  Data data{Eigen::MatrixXd(40, 1), Eigen::MatrixXd(40, 1), {}, true};
  for (Eigen::Index i = 0; i < 40; ++i) {
    data.inputs(i, 0) = double(i % 10) / 2.5;
    data.outputs(i, 0) = std::exp(1 + 0.8 * data.inputs(i, 0) + 0.2 * stream.normal());
  }
  const Terms terms = parse_terms(space, "linear");
  PolynomialOptions options{terms};
  options.transform.lambda = 0;
  const auto transformed = polynomial_fit(options)(space, data, 1);
  Data logs = data;
  logs.outputs = data.outputs.array().log().matrix();
  const auto plain = polynomial_fit({terms})(space, logs, 1);
  const Eigen::MatrixXd at = Eigen::VectorXd::LinSpaced(5, 0, 4);
  const Prediction p = transformed->predict(at, {.variance = true, .gradient = true}),
                   z = plain->predict(at, {.variance = true});
  const Intervals pi = transformed->intervals(p, 0.9), zi = plain->intervals(z, 0.9);
  CHECK((p.mean.array().log() - z.mean.array()).matrix().norm() < 1e-12);
  CHECK((pi.prediction_low.array().log() - zi.prediction_low.array()).matrix().norm() < 1e-10);
  CHECK((pi.confidence_high.array().log() - zi.confidence_high.array()).matrix().norm() < 1e-10);
  const double h = 1e-5;
  const Eigen::MatrixXd up = transformed->predict(at.array() + h).mean,
                        down = transformed->predict(at.array() - h).mean;
  CHECK(((up - down) / (2 * h) - p.mean_gradient[0]).norm() < 1e-6 * up.norm());
  CHECK((transformed->covariance(at, 0).diagonal() - p.model_variance).norm() <
        1e-12 * p.model_variance.norm());
  // And it survives being stored.
  const auto again = Polynomial::load(transformed->save());
  CHECK(again->predict(at).mean == p.mean);
  for (const double lambda : {-1.0, 0.5, 2.0}) {
    const Transform t{lambda};
    CHECK(t.back(t.forward(3.7)) == doctest::Approx(3.7).epsilon(1e-14));
    CHECK((t.back(t.forward(3.7) + 1e-6) - 3.7) / 1e-6 == doctest::Approx(t.slope(3.7)).epsilon(1e-4));
  }
}
