#include <doctest/doctest.h>

#include <Eigen/Eigenvalues>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/search/canonical.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <support_regression.hpp>

using namespace renth;
using namespace renth::test;

namespace {

CanonicalAnalysis analyse(const Space& space, const Data& data, const std::string& model) {
  const auto fitted = polynomial_fit({parse_terms(space, model)})(space, data, 1);
  std::string why;
  const auto out =
      canonical_analysis(space, static_cast<const Polynomial&>(*fitted), space.nominal(), 0.95, why);
  REQUIRE_MESSAGE(out, why);
  return *out;
}

}  // namespace

TEST_CASE("the flat point, its kind and its axes are those of the quadratic that made the data") {
  const Space space({continuous("a", 0, 10), continuous("b", -4, 4)});
  const Eigen::MatrixXd at = sample_region(space, 20, Values::physical, 1, "points");
  // In coded units u = (a − 5)/5, v = b/4: a hill at (0.4, −0.25), curvatures −1 and −4 along (1, ±1)/√2.
  const auto hill = [](double s1, double s2) {
    return [=](const Eigen::VectorXd& x) {
      const double u = (x[0] - 5) / 5 - 0.4, v = x[1] / 4 + 0.25;
      return 7 + s1 * std::pow(u + v, 2) / 2 + s2 * std::pow(u - v, 2) / 2;
    };
  };
  const CanonicalAnalysis top = analyse(space, data_of(at, hill(-1, -4)), "quadratic");
  CHECK(top.kind == "maximum");
  CHECK(top.inside);
  CHECK(top.point[0] == doctest::Approx(7).epsilon(1e-9));
  CHECK(top.point[1] == doctest::Approx(-1).epsilon(1e-9));
  CHECK(top.value == doctest::Approx(7).epsilon(1e-9));
  CHECK(top.axes[0].value == doctest::Approx(-4).epsilon(1e-9));
  CHECK(top.axes[1].value == doctest::Approx(-1).epsilon(1e-9));
  CHECK(std::abs(top.axes[1].direction[0] * top.axes[1].direction[1]) == doctest::Approx(0.5).epsilon(1e-9));
  CHECK(analyse(space, data_of(at, hill(1, 4)), "quadratic").kind == "minimum");
  CHECK(analyse(space, data_of(at, hill(1, -4)), "quadratic").kind == "saddle");
  CHECK(analyse(space, data_of(at, hill(0.001, -4)), "quadratic").kind == "ridge");

  std::string why;
  const auto plane = polynomial_fit({parse_terms(space, "linear")})(space, data_of(at, hill(1, 1)), 1);
  CHECK_FALSE(canonical_analysis(space, static_cast<const Polynomial&>(*plane), space.nominal(), 0.95, why));
  CHECK(why.find("border") != std::string::npos);
}

TEST_CASE("no point on a sphere is higher than the ridge path's, choices held") {
  const Space space({continuous("a", 0, 10), continuous("b", -4, 4), continuous("c", 1, 2),
                     choice("hull", {"steel", "wood"})});
  const Data data = noisy_runs(space, 60, 3);
  const auto fitted = polynomial_fit({parse_terms(space, "quadratic")})(space, data, 1);
  std::string why;
  Eigen::VectorXd held = space.nominal();
  held[3] = 1;
  const auto found = canonical_analysis(space, static_cast<const Polynomial&>(*fitted), held, 0.95, why);
  REQUIRE(found);
  CHECK(found->parameters == std::vector<Eigen::Index>{0, 1, 2});
  Stream stream(2, "sphere");
  for (const RidgePoint& r : found->highest) {
    const Eigen::VectorXd coded = space.to_coded(r.point.transpose()).row(0).head(3);
    CHECK(coded.norm() == doctest::Approx(r.radius).epsilon(1e-8));
    CHECK(r.point[3] == 1);
    for (int k = 0; k < 300; ++k) {
      Eigen::VectorXd direction(3), point = held;
      for (double& v : direction) v = stream.normal();
      direction *= r.radius / direction.norm();
      for (Eigen::Index j = 0; j < 3; ++j) point[j] = space.natural(j, direction[j]);
      const double value = fitted->predict(point.transpose()).mean(0, 0);
      CHECK(value <= r.value + 1e-9 * std::abs(r.value));
      CHECK(value >= found->lowest[std::size_t(&r - found->highest.data())].value - 1e-9 * std::abs(r.value));
    }
  }
}

TEST_CASE("the interval of a curvature holds the true one as often as it says") {
  const Space space = cube(2, -1, 1);
  const Eigen::MatrixXd at = sample_region(space, 18, Values::physical, 4, "points");
  int held = 0;
  constexpr int trials = 600;
  for (int k = 0; k < trials; ++k) {
    Stream noise(6, "noise", std::uint64_t(k));
    const Data data = data_of(
        at,
        [&](const Eigen::VectorXd& x) { return -2 * x[0] * x[0] - 5 * x[1] * x[1] + 0.3 * noise.normal(); },
        true);
    const CanonicalAnalysis c = analyse(space, data, "quadratic");
    held += c.axes[0].low < -5 && -5 < c.axes[0].high;
  }
  CHECK(held / double(trials) > 0.92);
}
