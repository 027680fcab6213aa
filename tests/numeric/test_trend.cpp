#include <doctest/doctest.h>

#include <cmath>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/trend.hpp>

using namespace renth;

TEST_CASE("a trend through a line is the line, through a bend it bends, and crowded points do not break it") {
  Eigen::VectorXd x(40), line(40), bend(40);
  Stream noise(1, "noise");
  for (Eigen::Index i = 0; i < 40; ++i) {
    x[i] = i < 20 ? 5 : 0.25 * double(i);  // half of them at one place
    line[i] = 3 - 2 * x[i];
    bend[i] = std::pow(x[i] - 5, 2);
  }
  const Eigen::VectorXd at = Eigen::VectorXd::LinSpaced(9, 5, 9.75);
  CHECK((trend(x, line, at) - (3 - 2 * at.array()).matrix()).norm() < 1e-10);
  const Eigen::VectorXd curve = trend(x, bend, at);
  for (Eigen::Index i = 1; i < at.size(); ++i) CHECK(curve[i] > curve[i - 1]);
  CHECK(std::isnan(trend(Eigen::VectorXd::Constant(5, 1.0), Eigen::VectorXd::Ones(5), at)[0]));
}

TEST_CASE("quantiles undo their distribution functions") {
  for (const double p : {0.001, 0.3, 0.975}) {
    CHECK(normal_cdf(normal_quantile(p)) == doctest::Approx(p).epsilon(1e-12));
    CHECK(chi_squared_upper(chi_squared_quantile(p, 3), 3) == doctest::Approx(1 - p).epsilon(1e-12));
    CHECK(beta_cdf(beta_quantile(p, 2, 5), 2, 5) == doctest::Approx(p).epsilon(1e-10));
  }
  CHECK(chi_squared_upper(3.841458820694124, 1) == doctest::Approx(0.05).epsilon(1e-10));  // tables
  CHECK(std::isnan(normal_quantile(0)));
  CHECK(std::isnan(beta_quantile(0.5, -1, 1)));
}
