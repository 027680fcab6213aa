#include <doctest/doctest.h>

#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/sensitivity/averages.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <support_regression.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("the average over the others is that of the polynomial, with the error of that very sum") {
  const Space space = mixed();
  const Data data = noisy_runs(space, 60, 4);
  const Terms terms = parse_terms(space, "products");
  const auto model = polynomial_fit({terms})(space, data, 1);
  // In coded units and contrasts everything but what is held averages to nought over the box.
  const Regression fit = regress(space, data, terms);
  for (const double a : {-2.0, 1.0, 5.0}) {
    const Average found = average_over_region(space, *model, 0, {{0, a}}, 0.95);
    Eigen::VectorXd row = Eigen::VectorXd::Zero(fit.size());
    // Levels are coded by value: their mean is not nought.
    double levels = 0;
    for (const double v : space[2].values) levels += space.coded(2, v) / 4;
    for (std::size_t t = 0; t < fit.terms.size(); ++t) {
      double value = 1;
      for (const Factor& f : fit.terms[t].factors)
        value *= f.parameter == 0 ? space.coded(0, a) : f.parameter == 2 ? levels : 0;
      row[fit.column[t]] = value;
    }
    const double mean = row.dot(fit.beta.cast<double>());
    const double sd = std::sqrt(fit.sigma2()) * (row.transpose() * fit.inverse).norm();
    CHECK(found.mean == doctest::Approx(mean).epsilon(5e-3));
    CHECK(found.high - found.low ==
          doctest::Approx(2 * student_t_width(0.95, fit.degrees_of_freedom()) * sd).epsilon(0.02));
  }
}

TEST_CASE("limits leave out what they forbid with the value held; nothing left is said") {
  Space space = cube(2);
  space = space.with({{"x1 + x2 <= 1", [](const double* p) { return 1 - p[0] - p[1]; }}});
  const Data data = data_of(sample_region(space, 30, Values::physical, 1, "points"),
                            [](const Eigen::VectorXd& x) { return x[1]; });
  const auto model = polynomial_fit({parse_terms(space, "linear")})(space, data, 1);
  // With x1 held at a, x2 is uniform on (0, 1 − a).
  for (const double a : {0.0, 0.5})
    CHECK(average_over_region(space, *model, 0, {{0, a}}, 0.95).mean ==
          doctest::Approx((1 - a) / 2).epsilon(0.02));
  CHECK(std::isnan(average_over_region(space, *model, 0, {{0, 1.0}, {1, 0.5}}, 0.95).mean));
}

TEST_CASE("a kriging has averages with intervals too, narrower than those of a point") {
  const Space space = cube(2);
  const Data data = data_of(sample_region(space, 12, Values::physical, 3, "points"),
                            [](const Eigen::VectorXd& x) { return std::sin(5 * x[0]) + x[1]; });
  const auto model = kriging_fit()(space, data, 1);
  const Average a = average_over_region(space, *model, 0, {{0, 0.5}}, 0.95);
  CHECK((a.low < a.mean && a.mean < a.high));
  CHECK(std::abs(a.mean - (std::sin(2.5) + 0.5)) < 3 * (a.high - a.low));
}
