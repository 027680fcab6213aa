#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <renth/terms/terms.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
const Space abc({continuous("a", 0, 2), continuous("b", -1, 3), levels("n", {1, 2}),
                 choice("hull", {"steel", "wood", "foam"})});
std::string parsed(const char* text) {
  return describe(abc, parse_terms(abc, text));
}
}  // namespace

TEST_CASE("families come in canonical order, squares only where three values are") {
  CHECK(parsed("linear") == "1 + a + b + n + hull[wood] + hull[foam]");
  CHECK(parsed("b*a + a") == "1 + a + a*b");
  CHECK(parsed("b^2 + a^2 + a*b - 1 + a") == "a + a*b + a^2 + b^2");
  CHECK(parse_terms(abc, "products").size() == 15);   // 6 linear with 1, 3 of numbers, 3·2 with hull
  CHECK(parse_terms(abc, "quadratic").size() == 17);  // and two squares: n has two values
  CHECK(parsed("quadratic - a^2").find("a^2") == std::string::npos);
  CHECK(parse_terms(cube(3), "cubic").size() == 20);  // C(6, 3)
}

TEST_CASE("what is no sum of products is refused, with the place") {
  for (const auto& [text, says] : std::map<std::string, std::string>{{"a + speed", "unknown parameter speed"},
                                                                     {"hull^2", "power of the choice"},
                                                                     {"hull*hull", "power of the choice"},
                                                                     {"2*a", "a number other than 1"},
                                                                     {"a +", "expected a parameter"},
                                                                     {"a b", "expected + or -"},
                                                                     {"hull[steel]", "left out"},
                                                                     {"hull[tin]", "unknown hull"},
                                                                     {"a^0", "power must be"},
                                                                     {"", "no terms"},
                                                                     {"a - b", "not in the sum"}}) {
    CAPTURE(text);
    CHECK_THROWS_WITH_AS(parse_terms(abc, text), doctest::Contains(says.c_str()), Error);
  }
}

TEST_CASE("contrasts sum to zero and are orthonormal over equally likely choices") {
  for (int c = 2; c <= 6; ++c) {
    const Eigen::MatrixXd m = contrasts(c);
    CHECK(m.colwise().sum().cwiseAbs().maxCoeff() < 1e-13);
    CHECK((m.transpose() * m / c - Eigen::MatrixXd::Identity(c - 1, c - 1)).norm() < 1e-13);
  }
  CHECK(contrasts(2)(0, 0) == doctest::Approx(-1));
}

TEST_CASE("the polynomial in real units is the one in coded units") {
  const Terms terms = parse_terms(abc, "cubic");
  Stream stream(1, "coefficients");
  Eigen::VectorXd beta(Eigen::Index(terms.size()));
  for (double& b : beta) b = stream.normal();
  const NaturalPolynomial natural = expand_natural(abc, terms, beta);
  const Eigen::MatrixXd points = sample_region(abc, 50, Values::physical, 1, "test");
  const Eigen::VectorXd coded = model_matrix(abc, terms, points) * beta;
  const Eigen::MatrixXd table = contrasts(3);
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    double sum = 0;
    for (std::size_t t = 0; t < natural.terms.size(); ++t) {
      double product = natural.coefficients[Eigen::Index(t)];
      for (const Factor& f : natural.terms[t].factors)
        product *= f.choice > 0 ? table(static_cast<Eigen::Index>(points(i, f.parameter)), f.choice - 1)
                                : std::pow(points(i, f.parameter), f.power);
      sum += product;
    }
    CHECK(sum == doctest::Approx(coded[i]).epsilon(1e-12));
  }
}

TEST_CASE("slopes of the model matrix agree with differences") {
  const Terms terms = parse_terms(abc, "cubic");
  const Eigen::MatrixXd x = sample_region(abc, 5, Values::physical, 2, "test");
  for (Eigen::Index j = 0; j < 3; ++j) {
    Eigen::MatrixXd up = x, down = x;
    up.col(j).array() += 1e-5;
    down.col(j).array() -= 1e-5;
    const Eigen::MatrixXd difference = (model_matrix(abc, terms, up) - model_matrix(abc, terms, down)) / 2e-5;
    CHECK((model_matrix_slope(abc, terms, x, j) - difference).cwiseAbs().maxCoeff() < 1e-8);
  }
}
