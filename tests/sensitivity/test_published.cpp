#include <doctest/doctest.h>

#include <boost/math/distributions/normal.hpp>
#include <further_functions.hpp>
#include <quadrature.hpp>
#include <renth/sensitivity/rank.hpp>
#include <support_ranking.hpp>

using namespace renth;
using namespace renth::test;
using bench::GaussRule;

namespace {

Evaluate itself(const bench::TestFunction& f) {
  return each([value = f.value](const Eigen::VectorXd& p) { return value(p); });
}

std::vector<GaussRule> rules_of(const bench::TestFunction& f, const std::vector<int>& nodes) {
  std::vector<GaussRule> out;
  for (std::size_t j = 0; j < nodes.size(); ++j)
    out.push_back(bench::uniform_rule(nodes[j], f.ranges[j].first, f.ranges[j].second));
  return out;
}

/// 2^14 points in all; many more for what is mostly interactions.
const RankOptions enough{.samples = 2048, .replicates = 8}, many{.samples = 1 << 14, .replicates = 8};

/// The largest error of first and total indices.
double error_of(const Ranking& r, const Eigen::VectorXd& first, const Eigen::VectorXd& total) {
  double worst = 0;
  for (const RankedParameter& p : r.parameters)
    worst = std::max({worst, std::abs(p.first - first[p.parameter]), std::abs(p.total - total[p.parameter])});
  return worst;
}

struct Published {
  bench::TestFunction function;
  std::vector<int> nodes;
};
const std::vector<Published> published = {{bench::otl_circuit(), {6, 5, 5, 4, 3, 3}},
                                          {bench::piston(), {5, 6, 6, 5, 3, 2, 2}},
                                          {bench::borehole(), {6, 3, 2, 3, 3, 3, 5, 3}}};

/// Π (|4x − 2| + a)/(1 + a): analytic.
struct GFunction {
  Eigen::VectorXd first, total;
  Evaluate value;
};
GFunction g_function(const Eigen::VectorXd& a) {
  const Eigen::ArrayXd v = (3 * (1 + a.array()).square()).inverse();
  const double product = (1 + v).prod(), all = product - 1;
  return {(v / all).matrix(), (v * (product / (1 + v)) / all).matrix(), each([a](const Eigen::VectorXd& x) {
            return ((4 * x.array() - 2).abs() + a.array()).cwiseQuotient(1 + a.array()).prod();
          })};
}

struct IshigamiIndices {
  Eigen::Vector3d first, total;
};
IshigamiIndices ishigami_indices(double a, double b) {
  const double v1 = 0.5 * std::pow(1 + b * std::pow(M_PI, 4) / 5, 2), v2 = a * a / 8,
               v13 = b * b * std::pow(M_PI, 8) * (1.0 / 18 - 1.0 / 50), v = v1 + v2 + v13;
  return {{v1 / v, v2 / v, 0}, {(v1 + v13) / v, v2 / v, v13 / v}};
}
Evaluate ishigami_with(double b) {
  return each([b](const Eigen::VectorXd& x) {
    return std::sin(x[0]) + 7 * std::pow(std::sin(x[1]), 2) + b * std::pow(x[2], 4) * std::sin(x[0]);
  });
}

}  // namespace

TEST_CASE("indices of circuit, piston and borehole are those of quadrature to a thousandth") {
  for (const auto& [f, nodes] : published) {
    CAPTURE(f.name);
    const bench::Indices exact = bench::by_quadrature(f.value, rules_of(f, nodes));
    std::vector<int> finer = nodes;
    for (int& n : finer) ++n;
    const bench::Indices check = bench::by_quadrature(f.value, rules_of(f, finer));
    CHECK((exact.first - check.first).cwiseAbs().maxCoeff() < 3e-5);
    CHECK((exact.total - check.total).cwiseAbs().maxCoeff() < 3e-5);
    const Ranking r = rank_parameters(f.space(), itself(f), {}, enough, 1);
    CHECK(error_of(r, check.first, check.total) < 1e-3);
    CHECK(r.variance == doctest::Approx(check.variance).epsilon(2e-3));
  }
}

TEST_CASE("a borehole with its published normal and lognormal inputs too") {
  const bench::TestFunction f = bench::borehole();
  const auto rules = [&](int more) {
    std::vector<GaussRule> out =
        rules_of(f, {6, 3, 2 + more, 3 + more, 3 + more, 3 + more, 5 + more, 3 + more});
    out[0] = bench::normal_rule(9 + more, 0.10, 0.0161812);
    out[1] = bench::normal_rule(5 + more, 7.71, 1.0056);
    out[1].nodes = out[1].nodes.array().exp();
    return out;
  };
  const bench::Indices exact = bench::by_quadrature(f.value, rules(1));
  CHECK((exact.first - bench::by_quadrature(f.value, rules(0)).first).cwiseAbs().maxCoeff() < 3e-5);
  RankOptions options = enough;
  const Space space = f.space();
  options.inputs = [&space](Eigen::Index j, double u) {
    if (j > 1) return space.from_unit(j, u, false);
    const double z = boost::math::quantile(boost::math::normal(), std::clamp(u, 1e-12, 1 - 1e-12));
    return j == 0 ? 0.10 + 0.0161812 * z : std::exp(7.71 + 1.0056 * z);
  };
  const Ranking r = rank_parameters(space, itself(f), {}, options, 1);
  CHECK(error_of(r, exact.first, exact.total) < 1e-3);
  // The radius of the hole matters the more the less the others vary: other inputs, other shares.
  CHECK(exact.first[0] < 0.9);
  CHECK(exact.first[0] > 0.6);
}

TEST_CASE("indices of Ishigami's function, of the g-function and of a sum are the analytic ones") {
  for (const double b : {0.1, 0.05}) {
    CAPTURE(b);
    const IshigamiIndices exact = ishigami_indices(7, b);
    CHECK(error_of(rank_parameters(cube(3, -M_PI, M_PI), ishigami_with(b), {}, many, 1), exact.first,
                   exact.total) < 1e-3);
  }
  Eigen::VectorXd a(8);
  a << 0, 1, 4.5, 9, 99, 99, 99, 99;
  const GFunction g = g_function(a);
  CHECK(error_of(rank_parameters(cube(8), g.value, {}, many, 1), g.first, g.total) < 1e-3);
  const Eigen::Vector4d c(1, 0.7, 0.4, 0.2), shares = c.cwiseAbs2() / c.squaredNorm();
  const Ranking sum =
      rank_parameters(cube(4), each([c](const Eigen::VectorXd& x) { return c.dot(x); }), {}, enough, 1);
  CHECK(error_of(sum, shares, shares) < 1e-3);
}

TEST_CASE("with the function itself as surrogate intervals hold as often as they say" *
          doctest::test_suite("long")) {
  struct Case {
    std::string name;
    Space space;
    Evaluate f;
    Eigen::VectorXd first, total;
  };
  std::vector<Case> cases;
  const IshigamiIndices of_ishigami = ishigami_indices(7, 0.1);
  cases.push_back(
      {"Ishigami", cube(3, -M_PI, M_PI), ishigami_with(0.1), of_ishigami.first, of_ishigami.total});
  const GFunction g = g_function(Eigen::Vector4d(0, 1, 4.5, 9));
  cases.push_back({"g-function", cube(4), g.value, g.first, g.total});
  const bench::TestFunction otl = bench::otl_circuit();
  const bench::Indices of_otl = bench::by_quadrature(otl.value, rules_of(otl, {7, 6, 6, 5, 4, 4}));
  cases.push_back({"circuit", otl.space(), itself(otl), of_otl.first, of_otl.total});
  for (const Case& c : cases) {
    CAPTURE(c.name);
    int held = 0, asked = 0;
    for (int seed = 1; seed <= 200; ++seed) {
      const Ranking r = rank_parameters(c.space, c.f, {}, {.samples = 128}, Seed(seed));
      for (const RankedParameter& p : r.parameters) {
        // A share of exactly nought lies on the bound of what a share can be.
        if (c.first[p.parameter] < 1e-3) continue;
        asked += 2;
        held += p.low <= c.first[p.parameter] && c.first[p.parameter] <= p.high;
        held += p.total_low <= c.total[p.parameter] && c.total[p.parameter] <= p.total_high;
      }
    }
    CAPTURE(double(held) / asked);
    CHECK(held >= 0.90 * asked);
    CHECK(held <= 0.99 * asked);
  }
}

TEST_CASE("Shapley effects under limits are those of a fine grid") {
  // x + y ≤ 1.2 and z ≥ x/2, all of a grid of 48³ cells that the limits leave.
  const auto f = [](double x, double y, double z) { return x + 2 * y * y + x * z; };
  const auto allowed = [](double x, double y, double z) { return x + y <= 1.2 && z >= x / 2; };
  constexpr int n = 48;
  const auto middle = [](int i) { return (i + 0.5) / n; };
  // Var E[f | x_u] for each subset, by sums over cells that agree in u.
  double cost[8] = {};
  double mean = 0, cells = 0;
  for (int subset = 1; subset < 8; ++subset) {
    std::map<int, std::pair<double, double>> sums;
    cells = mean = 0;
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j)
        for (int k = 0; k < n; ++k) {
          if (!allowed(middle(i), middle(j), middle(k))) continue;
          const double y = f(middle(i), middle(j), middle(k));
          auto& sum =
              sums[(subset & 1 ? i : n) + (n + 1) * ((subset & 2 ? j : n) + (n + 1) * (subset & 4 ? k : n))];
          sum.first += y, sum.second += 1;
          mean += y, cells += 1;
        }
    mean /= cells;
    for (const auto& [cell, sum] : sums)
      cost[subset] += sum.second * std::pow(sum.first / sum.second - mean, 2) / cells;
  }
  const auto gain = [&](int i, int before) { return cost[before | 1 << i] - cost[before]; };
  const Space space = cube(3).with({{"x1 + x2 <= 1.2", [](const double* x) { return 1.2 - x[0] - x[1]; }},
                                    {"x3 >= x1/2", [](const double* x) { return x[2] - x[0] / 2; }}});
  const Ranking r = rank_parameters(
      space, each([&](const Eigen::VectorXd& x) { return f(x[0], x[1], x[2]); }), {}, {.samples = 4096}, 1);
  for (const RankedParameter& p : r.parameters) {
    const int i = int(p.parameter), j = (i + 1) % 3, k = (i + 2) % 3;
    const double effect =
        gain(i, 0) / 3 + gain(i, 1 << j) / 6 + gain(i, 1 << k) / 6 + gain(i, 1 << j | 1 << k) / 3;
    CAPTURE(i);
    CHECK(p.share == doctest::Approx(effect / cost[7]).epsilon(0.02));
  }
}
