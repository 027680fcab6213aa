#include <doctest/doctest.h>

#include <Eigen/LU>
#include <Eigen/QR>
#include <renth/base/error.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/methods.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/quality/quality.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

Data noisy_data(const Space& space, int n, Seed seed) {
  Stream noise(seed, "noise");
  return data_of(
      sample_region(space, n, Values::settable, seed, "points"),
      [&](const Eigen::VectorXd& x) {
        double y = 3;
        for (Eigen::Index j = 0; j < x.size(); ++j)
          y += (static_cast<double>(j) + 1) * x[j] - 0.1 * x[j] * x[j];
        return y + 0.2 * noise.normal();
      },
      true);
}

const Polynomial& as_polynomial(const std::unique_ptr<const Surrogate>& s) {
  return static_cast<const Polynomial&>(*s);
}

}  // namespace

TEST_CASE("coefficients and their errors are those of the normal equations") {
  const Space space = mixed();
  const Data data = noisy_data(space, 60, 1);
  const Terms terms = parse_terms(space, "products");
  const auto fitted = polynomial_fit({terms})(space, data, 1);
  const Eigen::MatrixXd x = model_matrix(space, terms, data.inputs), inverse = (x.transpose() * x).inverse();
  const Eigen::VectorXd y = data.outputs, beta = inverse * (x.transpose() * y);
  const double df = 60.0 - static_cast<double>(terms.size()), sigma2 = (y - x * beta).squaredNorm() / df;
  const std::vector<Coefficient> c = as_polynomial(fitted).coefficients(0.95);
  for (std::size_t t = 0; t < terms.size(); ++t) {
    const auto i = static_cast<Eigen::Index>(t);
    CHECK(c[t].value == doctest::Approx(beta[i]).epsilon(1e-10));
    CHECK(c[t].std_error == doctest::Approx(std::sqrt(sigma2 * inverse(i, i))).epsilon(1e-10));
    CHECK(c[t].t == doctest::Approx(c[t].value / c[t].std_error));
    CHECK((c[t].low < c[t].value && c[t].value < c[t].high));
    CHECK((c[t].p >= 0 && c[t].p <= 1));
  }
  // An interval at the 5 % point touches zero exactly when p is 5 %.
  for (const Coefficient& k : c) CHECK((k.p < 0.05) == (k.low > 0 || k.high < 0));
  const Eigen::MatrixXd at = sample_region(space, 10, Values::physical, 2, "at");
  const Eigen::MatrixXd xa = model_matrix(space, terms, at);
  const Prediction p = fitted->predict(at, {.variance = true});
  CHECK((p.model_variance - (xa * inverse * xa.transpose()).diagonal() * sigma2).norm() < 1e-10);
  CHECK((fitted->covariance(at, 0).diagonal() - p.model_variance).norm() < 1e-12);
}

TEST_CASE("exact data give exact coefficients in natural units, however far from zero they lie") {
  // y = 1 + x + … + x^5 at x = 0 … 20: a published trial of least-squares programs.
  Data data{Eigen::MatrixXd(21, 1), Eigen::MatrixXd(21, 1), {}, false};
  for (int i = 0; i <= 20; ++i) {
    data.inputs(i, 0) = i;
    data.outputs(i, 0) = 1 + i + std::pow(i, 2) + std::pow(i, 3) + std::pow(i, 4) + std::pow(i, 5);
  }
  const Space space({continuous("x", 0, 20)});
  const auto fitted = polynomial_fit({parse_terms(space, "1 + x + x^2 + x^3 + x^4 + x^5")})(space, data, 1);
  const NaturalPolynomial natural = as_polynomial(fitted).natural();
  for (Eigen::Index t = 0; t < 6; ++t) CHECK(std::abs(natural.coefficients[t] - 1) < 1e-8);
}

TEST_CASE("variance inflation is 1/(1 − R²) of a column on the others") {
  const Space space = cube(3);
  const Data data = noisy_data(space, 25, 3);
  const Terms terms = parse_terms(space, "linear");
  const auto fitted = polynomial_fit({terms})(space, data, 1);
  const Eigen::MatrixXd x = model_matrix(space, terms, data.inputs);
  for (Eigen::Index j = 1; j < 4; ++j) {
    Eigen::MatrixXd others(25, 3);
    others << x.leftCols(j), x.rightCols(3 - j);
    const Eigen::VectorXd residual = x.col(j) - others * others.colPivHouseholderQr().solve(x.col(j));
    const double spread = (x.col(j).array() - x.col(j).mean()).square().sum();
    CHECK(as_polynomial(fitted).state().vif[j] ==
          doctest::Approx(spread / residual.squaredNorm()).epsilon(1e-10));
  }
}

TEST_CASE("PRESS from leverages is the sum over real refits") {
  const Space space = cube(2);
  const Data data = noisy_data(space, 20, 4);
  const Fit fit = polynomial_fit({parse_terms(space, "quadratic")});
  const auto whole = fit(space, data, 1);
  double press = 0;
  for (Eigen::Index left = 0; left < 20; ++left) {
    std::vector<Eigen::Index> rows;
    for (Eigen::Index i = 0; i < 20; ++i)
      if (i != left) rows.push_back(i);
    press += std::pow(
        data.outputs(left, 0) - fit(space, data.rows(rows), 1)->predict(data.inputs.row(left)).mean(0, 0), 2);
  }
  const CrossValidation cv = cross_validate(space, data, make_folds(space, data, 1), fit, 1);
  const Quality q = measure_quality(space, *whole, data, cv, nullptr);
  CHECK(q.press == doctest::Approx(press).epsilon(1e-9));
  CHECK(q.q2 == doctest::Approx(q.r2_predicted).epsilon(1e-9));  // 20 runs: one a fold
}

TEST_CASE("confounded terms are named together, and can be left out instead") {
  Eigen::MatrixXd half(4, 3);
  half << 0, 0, 1, 1, 0, 0, 0, 1, 0, 1, 1, 1;  // x3 = x1·x2 in coded units
  const Space space = cube(3);
  const Data data = data_of(half, [](const Eigen::VectorXd& x) { return x[0] + x[2]; });
  const Terms terms = parse_terms(space, "1 + x1 + x3 + x1*x2");
  CHECK_THROWS_WITH_AS(polynomial_fit({terms})(space, data, 1), doctest::Contains("x1*x2 with x3"), Error);
  const auto fitted = polynomial_fit({terms, Confounded::leave_out})(space, data, 1);
  CHECK(describe(space, as_polynomial(fitted).state().terms) == "1 + x1 + x3");
}

TEST_CASE("too few runs are refused; a saturated fit has no error estimate") {
  const Space space = cube(2);
  const Data data = noisy_data(space, 6, 5);
  CHECK_THROWS_WITH_AS(polynomial_fit({parse_terms(space, "cubic")})(space, data, 1),
                       doctest::Contains("6 runs are too few for 10 terms"), Error);
  const auto saturated = polynomial_fit({parse_terms(space, "quadratic")})(space, data, 1);
  const Prediction p = saturated->predict(data.inputs, {.variance = true});
  CHECK((p.mean - data.outputs).norm() < 1e-9);
  CHECK(std::isnan(p.model_variance(0, 0)));
  CHECK(std::isnan(saturated->intervals(p, 0.95).prediction_low(0, 0)));
}

TEST_CASE("an offset of a milliard does not drown a slope of one") {
  const Space space = cube(2);
  const Data data = data_of(sample_region(space, 20, Values::physical, 1, "offset"),
                            [](const Eigen::VectorXd& x) { return 1e9 + x[0]; });
  const auto fitted = polynomial_fit({parse_terms(space, "linear")})(space, data, 1);
  CHECK(as_polynomial(fitted).state().beta[1] == doctest::Approx(0.5).epsilon(1e-6));
}

TEST_CASE("blocks shift the level and nothing else") {
  const Space space = cube(2);
  Data data = noisy_data(space, 40, 6);
  const Terms terms = parse_terms(space, "linear");
  const auto before = polynomial_fit({terms})(space, data, 1);
  data.blocks = Eigen::VectorXi(40);
  for (int i = 0; i < 40; ++i) data.blocks[i] = i % 2;
  for (int i = 0; i < 40; ++i) data.outputs(i, 0) += data.blocks[i] ? 50 : -50;
  const auto after = polynomial_fit({terms})(space, data, 1);
  CHECK(as_polynomial(after).state().degrees_of_freedom == 36);
  CHECK(as_polynomial(after).state().beta[1] ==
        doctest::Approx(as_polynomial(before).state().beta[1]).epsilon(0.05));
  CHECK(std::abs(as_polynomial(after).state().beta[0] - as_polynomial(before).state().beta[0]) < 0.2);
}

TEST_CASE("what was saved predicts the same bits") {
  const Space space = mixed();
  const Data data = noisy_data(space, 60, 7);
  for (const SurrogateKind& kind : surrogate_kinds()) {
    CAPTURE(kind.name);
    const auto fitted = kind.methods(space, data, {}).front().fit(space, data, 1);
    const auto loaded = load_surrogate(fitted->save());
    const Eigen::MatrixXd at = sample_region(space, 20, Values::physical, 8, "at");
    const Prediction a = fitted->predict(at, {true, true}), b = loaded->predict(at, {true, true});
    CHECK(a.mean == b.mean);
    CHECK(a.model_variance == b.model_variance);
    CHECK(a.mean_gradient[0] == b.mean_gradient[0]);
    Archive cut = fitted->save();
    cut.bytes.resize(cut.bytes.size() / 2);
    CHECK_THROWS_WITH_AS(load_surrogate(cut), doctest::Contains("cut short"), Error);
  }
}

TEST_CASE("gradients of every kind agree with differences, and choices have none") {
  const Space space = mixed();
  const Data data = noisy_data(space, 60, 9);
  const Eigen::MatrixXd at = sample_region(space, 5, Values::physical, 10, "at");
  for (const SurrogateKind& kind : surrogate_kinds()) {
    CAPTURE(kind.name);
    const auto fitted = kind.methods(space, data, {}).front().fit(space, data, 1);
    const Eigen::MatrixXd g = fitted->predict(at, {.gradient = true}).mean_gradient[0];
    for (Eigen::Index j = 0; j < 3; ++j) {
      const double h = 1e-5 * (space[j].high - space[j].low);
      Eigen::MatrixXd up = at, down = at;
      up.col(j).array() += h;
      down.col(j).array() -= h;
      const Eigen::VectorXd difference = (fitted->predict(up).mean - fitted->predict(down).mean) / (2 * h);
      CHECK((g.col(j) - difference).cwiseAbs().maxCoeff() < 1e-5);
    }
    CHECK(g.col(3).norm() == 0);
  }
}
