#include <doctest/doctest.h>

#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/exact_shares.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/terms/terms.hpp>
#include <support_ranking.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("of a polynomial the shares are the analytic ones, to the last digits") {
  // x1 + x2² + x1 x3 on (−1, 1)³: variances 1/3, 4/45, 1/9.
  const Space space = cube(3, -1, 1);
  const Data data = data_of(spread_out(space, 30, 1),
                            [](const Eigen::VectorXd& x) { return 5 + x[0] + x[1] * x[1] + x[0] * x[2]; });
  const auto fitted = polynomial_fit({parse_terms(space, "quadratic")})(space, data, 1);
  const auto s = exact_shares(space, *fitted);
  REQUIRE(s);
  const double all = 1.0 / 3 + 4.0 / 45 + 1.0 / 9;
  CHECK(s->variance == doctest::Approx(all).epsilon(1e-10));
  CHECK(s->parameters[0].first == doctest::Approx(1.0 / 3 / all).epsilon(1e-10));
  CHECK(s->parameters[1].first == doctest::Approx(4.0 / 45 / all).epsilon(1e-10));
  CHECK(s->parameters[2].first < 1e-10);
  CHECK(s->parameters[0].total == doctest::Approx((1.0 / 3 + 1.0 / 9) / all).epsilon(1e-10));
  CHECK(s->parameters[2].total == doctest::Approx(1.0 / 9 / all).epsilon(1e-10));
  CHECK(s->pairs(0, 2) == doctest::Approx(1.0 / 9 / all).epsilon(1e-10));
  // A response on another scale is no sum of products.
  CHECK_FALSE(exact_shares(
      space, *polynomial_fit({parse_terms(space, "linear"), Confounded::refuse, {0}})(space, data, 1)));
}

TEST_CASE("of every kind that is a sum of products they are what sampling finds") {
  const Space space({continuous("a", -2, 5), continuous("b", 0, 1), levels("l", {1, 2, 4}),
                     choice("c", {"red", "green", "blue"})});
  const auto f = [](const Eigen::VectorXd& x) {
    return std::sin(x[0]) + x[1] * x[2] + (x[3] == 1 ? x[0] / 3 : 0.2 * x[3]);
  };
  Data data = data_of(spread_out(space, 60, 1), f, true);
  Stream noise(1, "noise");  // without it the weights of the Gaussian kernel cancel
  for (double& y : data.outputs.reshaped()) y += 0.05 * noise.normal();
  std::vector<std::shared_ptr<const Surrogate>> fitted = {
      polynomial_fit({parse_terms(space, "quadratic")})(space, data, 1), chaos_fit()(space, data, 1),
      kriging_fit({.kernel = Kernel::product52, .trend = "linear"})(space, data, 1),
      kriging_fit({.kernel = Kernel::gaussian})(space, data, 1),
      kriging_fit({.kernel = Kernel::product52, .draws = 4})(space, data, 1)};
  fitted.push_back(std::make_shared<Rescaled>(
      std::make_shared<Blend>(Blend::Members{fitted[0], fitted[2]}, Eigen::Vector2d(0.3, 0.7)), 2.0));
  for (const auto& surrogate : fitted) {
    CAPTURE(surrogate->kind());
    const auto exact = exact_shares(space, *surrogate);
    REQUIRE(exact);
    const VarianceShares sampled =
        sobol_indices(space, {[&](Points x) { return surrogate->predict(x).mean; }}, 1 << 15, 1, 0)[0];
    CHECK(exact->variance == doctest::Approx(sampled.variance).epsilon(2e-3));
    for (std::size_t j = 0; j < 4; ++j) {
      CHECK(std::abs(exact->parameters[j].first - sampled.parameters[j].first) < 1e-3);
      CHECK(std::abs(exact->parameters[j].total - sampled.parameters[j].total) < 1e-3);
    }
    CHECK((exact->pairs - sampled.pairs).cwiseAbs().maxCoeff() < 2e-3);
  }
}

TEST_CASE("what is no such sum, and what cancels too much, is left to sampling") {
  const Space space = cube(2);
  const Data data =
      data_of(spread_out(space, 40, 1), [](const Eigen::VectorXd& x) { return std::exp(x[0]) + x[1]; });
  CHECK_FALSE(exact_shares(space, *kriging_fit({.kernel = Kernel::matern52})(space, data, 1)));
  const auto smooth = kriging_fit({.kernel = Kernel::gaussian})(space, data, 1);
  const auto shares = exact_shares(space, *smooth);
  const VarianceShares sampled =
      sobol_indices(space, {[&](Points x) { return smooth->predict(x).mean; }}, 1 << 14, 1, 0)[0];
  // Weights of 1e8 must not be believed; if they are taken, the shares are right.
  if (shares) CHECK(std::abs(shares->parameters[0].total - sampled.parameters[0].total) < 1e-3);
}
