#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <renth/terms/nested_sum.hpp>

using namespace renth;

TEST_CASE("terms multiplied out from within are the model matrix times the coefficients") {
  const Space space({continuous("a", 3, 8), continuous("b", -1, 1),
                     choice("hull", {"steel", "wood", "glass"}), levels("fins", {0, 2, 4, 8}),
                     continuous("c", 1e3, 1e6)});
  for (const char* const text : {"1", "linear", "products", "quadratic", "cubic",
                                 "a*b*c + hull*a^2*fins + c^9 - 1", "1 + b^2", "a^3*b^2*c^4*fins^3 + hull"}) {
    CAPTURE(text);
    const Terms terms = parse_terms(space, text);
    Stream stream(3, "beta");
    Eigen::VectorXd beta(Eigen::Index(terms.size()));
    for (double& b : beta) b = stream.normal();
    const NestedSum sum(space, terms, beta);
    for (const int count : {0, 1, 63, 64, 65, 300}) {
      const Eigen::MatrixXd points = sample_region(space, count, Values::physical, 5, "points");
      const Eigen::MatrixXd x = model_matrix(space, terms, points);
      const Eigen::VectorXd expected = x * beta, found = sum(points);
      REQUIRE(found.size() == count);
      for (int i = 0; i < count; ++i) {
        CHECK(std::abs(found[i] - expected[i]) <= 1e-14 * x.row(i).cwiseAbs().dot(beta.cwiseAbs()));
        // A point's value does not depend on what is asked beside it.
        if (i % 37 == 0) CHECK(sum(points.row(i))[0] == found[i]);
      }
    }
  }
}

TEST_CASE("an order beyond fifteen is refused before anything is made of it") {
  const Space space({continuous("a", 0, 1)});
  const Terms terms = {Term{{{0, 2'000'000'000, 0}}}};
  CHECK_THROWS_AS(NestedSum(space, terms, Eigen::VectorXd::Ones(1)), Error);
}
