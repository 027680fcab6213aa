#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/sensitivity/slopes.hpp>
#include <support_ranking.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("slopes are right to ten digits, at the edges too, and never ask beyond the span") {
  const Space space({continuous("a", 0, 2), continuous("b", -1, 1)});
  const Evaluate f = [&](Points x) {
    CHECK((x.col(0).minCoeff() >= 0 && x.col(0).maxCoeff() <= 2));
    return Eigen::MatrixXd(x.col(0).array().exp() * x.col(1).array());
  };
  Eigen::MatrixXd at(4, 2);
  at << 0, 0.5, 2, 0.5, 1, -1, 0.001, 1;
  const Eigen::VectorXd found = slopes(space, f, at, 0);
  for (int i = 0; i < 4; ++i)
    CHECK(found[i] == doctest::Approx(std::exp(at(i, 0)) * at(i, 1)).epsilon(1e-10));
}

TEST_CASE("derivative measures of Ishigami's function are the analytic ones, and bound its total shares") {
  const Space space = cube(3, -M_PI, M_PI);
  const Ranking r = derivatives_of_model(
      space, each([](const Eigen::VectorXd& x) { return ishigami(x[0], x[1], x[2]); }), {}, {}, 1);
  const double a = 7, b = 0.1, p2 = M_PI * M_PI, p4 = p2 * p2, span2 = 4 * p2;
  const double variance = 0.5 + a * a / 8 + b * p4 / 5 + b * b * p4 * p4 / 18;
  const double nu[] = {span2 * 0.5 * (1 + 2 * b * p4 / 5 + b * b * p4 * p4 / 9), span2 * a * a / 2,
                       span2 * 0.5 * 16 * b * b * p4 * p2 / 7};
  const double total[] = {0.5576, 0.4424, 0.2437};
  for (int j = 0; j < 3; ++j) {
    CHECK(value(of(r, j), "bound") == doctest::Approx(nu[j] / p2 / variance).epsilon(0.01));
    CHECK(value(of(r, j), "slope") == doctest::Approx(std::sqrt(nu[j])).epsilon(0.01));
    CHECK(value(of(r, j), "bound") > total[j]);
  }
  // For a line in one parameter the bound is 12/π² of its share.
  const Ranking line =
      derivatives_of_model(cube(2), each([](const Eigen::VectorXd& x) { return 3 * x[0]; }), {}, {}, 1);
  CHECK(value(of(line, 0), "bound") == doctest::Approx(12 / p2).epsilon(1e-3));
  CHECK(value(of(line, 1), "bound") < 1e-12);
}

TEST_CASE("of a choice the mean squared difference stands for slopes: its total share") {
  const Space space({continuous("a", 0, 1), choice("c", {"red", "green", "blue"})});
  const double of_label[] = {0, 1, 3};
  const Ranking r = derivatives_of_model(
      space, each([&](const Eigen::VectorXd& x) { return x[0] + of_label[int(x[1])]; }), {}, {}, 1);
  const double own = 14.0 / 9, variance = own + 1.0 / 12;
  CHECK(value(of(r, 1), "bound") == doctest::Approx(own / variance).epsilon(0.01));
}

TEST_CASE("at one setting a bowl has its slope, its per cent and its swing, as far as the limits go") {
  const Space space = Space({continuous("a", 0, 4), continuous("b", 0, 4), choice("c", {"red", "green"})})
                          .with({{"a + b <= 5", [](const double* x) { return 5 - x[0] - x[1]; }}});
  const Evaluate f =
      each([](const Eigen::VectorXd& x) { return (x[0] - 1) * (x[0] - 1) + 2 * x[1] + 5 * x[2]; });
  const Eigen::Vector3d at(2, 3, 1);
  const Ranking r = local_effects(
      space, f, [](const auto&, const auto&) { return 0.04; }, at);
  CHECK(value(of(r, 0), "slope") == doctest::Approx(2).epsilon(1e-9));
  CHECK(value(of(r, 0), "per_cent") == doctest::Approx(2.0 * 2 / 12));
  CHECK(value(of(r, 0), "at_low") == doctest::Approx(1 + 11));
  CHECK(value(of(r, 0), "at_high") == doctest::Approx(1 + 11));  // the limit ends the way at a = 2
  CHECK(value(of(r, 0), "swing") == doctest::Approx(1));
  CHECK(value(of(r, 1), "swing") == doctest::Approx(6));  // b goes to 3
  CHECK(value(of(r, 2), "swing") == doctest::Approx(5));
  CHECK(of(r, 1).measures.back().high == doctest::Approx(6 + 1.96 * 0.2).epsilon(1e-4));
  CHECK((of(r, 0).direction == "mixed" && of(r, 1).direction == "up" && of(r, 2).direction == "mixed"));
  CHECK(of(r, 1).share == doctest::Approx(36.0 / 62));
  CHECK_THROWS_WITH(local_effects(
                        space, f, [](const auto&, const auto&) { return 0.0; }, Eigen::Vector3d(4, 4, 0)),
                    doctest::Contains("breaks a limit"));
  CHECK_THROWS_WITH(local_effects(
                        space, f, [](const auto&, const auto&) { return 0.0; }, Eigen::Vector3d(5, 0, 0)),
                    doctest::Contains("a=5 lies outside its span 0 … 4"));
}
