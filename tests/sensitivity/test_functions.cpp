#include <doctest/doctest.h>

#include <renth/sensitivity/rank.hpp>
#include <support_ranking.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("the g-function of Sobol' has its analytic first and total indices") {
  // I. M. Sobol', Matematicheskoe Modelirovanie 2, 1990: Π (|4x − 2| + a)/(1 + a).
  const std::vector<double> a = {0, 1, 4.5, 9, 99};
  const Ranking r = rank_parameters(cube(5), each([&](const Eigen::VectorXd& x) {
                                      double product = 1;
                                      for (int j = 0; j < 5; ++j)
                                        product *= (std::abs(4 * x[j] - 2) + a[j]) / (1 + a[j]);
                                      return product;
                                    }),
                                    {}, {.samples = 4096}, 3);
  double all = 1;
  std::vector<double> v;
  for (const double k : a) {
    v.push_back(1.0 / 3 / ((1 + k) * (1 + k)));
    all *= 1 + v.back();
  }
  for (const RankedParameter& p : r.parameters) {
    const double vj = v[p.parameter];
    CHECK(std::abs(p.first - vj / (all - 1)) < 0.01);
    CHECK(std::abs(p.total - vj * (all / (1 + vj)) / (all - 1)) < 0.01);
  }
  CHECK(r.parameters[0].parameter == 0);
  for (const RankedPair& pair : r.interactions)
    CHECK(std::abs(pair.share - v[pair.a] * v[pair.b] / (all - 1)) < 0.01);
}

TEST_CASE("levels and choices count by how often they occur, not by their distance") {
  const Space space({continuous("x", 0, 1), levels("n", {0, 1, 9}), choice("c", {"p", "q", "r", "s"})});
  const Ranking r = rank_parameters(space, each([](const Eigen::VectorXd& x) {
                                      return x[0] + (x[2] == 3 ? 1.0 : 0.0) + (x[1] == 9 ? 2.0 : 0.0);
                                    }),
                                    {}, {}, 1);
  const double vx = 1.0 / 12, vc = 3.0 / 16, vn = 4 * 2.0 / 9, v = vx + vc + vn;
  for (const RankedParameter& p : r.parameters)
    CHECK(p.share == doctest::Approx((p.parameter == 0 ? vx : p.parameter == 1 ? vn : vc) / v).epsilon(0.03));
}

TEST_CASE("more than eight parameters under a limit: random orders still add up to one") {
  const Space space = cube(10).with({{"x1 <= x2 + 0.8", [](const double* x) { return x[1] + 0.8 - x[0]; }}});
  const Ranking r =
      rank_parameters(space, each([](const Eigen::VectorXd& x) { return 4 * x[2] + 2 * x[3] + x[4]; }), {},
                      {.samples = 128, .replicates = 2}, 1);
  double sum = 0;
  for (const RankedParameter& p : r.parameters) sum += p.share;
  CHECK(sum == doctest::Approx(1).epsilon(0.02));  // small negative estimates are shown as 0
  CHECK(r.parameters[0].parameter == 2);
  CHECK(r.parameters[0].share == doctest::Approx(16.0 / 21).epsilon(0.15));
}

TEST_CASE("a curve's shares weigh its points by their variance") {
  const Evaluate curve = [](Points x) {
    Eigen::MatrixXd y(x.rows(), 2);
    y.col(0) = 3 * x.col(0);
    y.col(1) = x.col(1);
    return y;
  };
  const Ranking r = rank_parameters(cube(2), curve, {}, {}, 1);
  CHECK(r.parameters[0].share == doctest::Approx(0.9).epsilon(0.01));
}

TEST_CASE("a response that never varies has no shares and no NaN") {
  const Ranking r = rank_parameters(cube(2), each([](const Eigen::VectorXd&) { return 4.0; }), {}, {}, 1);
  for (const RankedParameter& p : r.parameters) {
    CHECK(p.share == 0);
    CHECK(p.direction == "none");
  }
}

TEST_CASE("a limit that nothing in the box breaks is no cut") {
  const Space space = cube(2).with({{"x1 <= 5", [](const double* x) { return 5 - x[0]; }}});
  CHECK(rank_parameters(space, each([](const Eigen::VectorXd& x) { return x[0]; }), {}, {.samples = 64}, 1)
            .method == "sobol");
}
