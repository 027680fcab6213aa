#include <doctest/doctest.h>

#include <Eigen/QR>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/full_factorial.hpp>
#include <renth/sensitivity/distance_correlation.hpp>
#include <renth/sensitivity/ranks.hpp>
#include <renth/sensitivity/runs.hpp>
#include <renth/space/region.hpp>
#include <support_ranking.hpp>

using namespace renth;
using namespace renth::test;

namespace {

Data noisy_runs(const Space& space, int runs, double noise, Seed seed,
                const std::function<double(const Eigen::VectorXd&)>& f) {
  Data data = data_of(sample_region(space, runs, Values::physical, seed, "runs"), f);
  Stream stream(seed, "noise");
  data.noisy = noise > 0;
  for (double& y : data.outputs.reshaped()) y += noise * stream.normal();
  return data;
}

}  // namespace

TEST_CASE("equal values share the mean of their ranks") {
  Eigen::VectorXd v(6), expected(6);
  v << 3, 1, 3, 2, 3, 0;
  expected << 5, 2, 5, 3, 5, 1;
  CHECK(average_ranks(v) == expected);
}

TEST_CASE("effects of the pilot plant are the published ones") {
  // G. E. P. Box, W. G. Hunter, J. S. Hunter, Statistics for Experimenters, 1978, table 10.1 and
  // section 10.3.
  const Space space = cube(3, -1, 1);
  Eigen::MatrixXd points(8, 3);
  for (int i = 0; i < 8; ++i) points.row(i) << (i & 1 ? 1 : -1), (i & 2 ? 1 : -1), (i & 4 ? 1 : -1);
  Data data{points, Eigen::MatrixXd(8, 1), {}, true};
  data.outputs << 60, 72, 54, 68, 52, 83, 45, 80;
  const Ranking r = effects_of_runs(space, data);
  CHECK(measure_of(of(r, 0), "effect").value == doctest::Approx(23));
  CHECK(measure_of(of(r, 1), "effect").value == doctest::Approx(-5));
  CHECK(measure_of(of(r, 2), "effect").value == doctest::Approx(1.5));
  CHECK(r.interactions.front().measures.front().value == doctest::Approx(10));
  CHECK((r.interactions.front().a == 0 && r.interactions.front().b == 2));
  // All that is left is the interaction of three, 0.5: s² = 8 · 0.25².
  CHECK(measure_of(of(r, 0), "standardised").value == doctest::Approx(11.5 / std::sqrt(0.5 / 8)));
  CHECK(r.line == doctest::Approx(12.706).epsilon(1e-4));
  CHECK(of(r, 0).direction == "up");
  double all = 0;
  for (const auto& p : r.parameters) all += p.share;
  for (const auto& p : r.interactions) all += p.share;
  CHECK(all == doctest::Approx(1 - 0.5 / ((data.outputs.array() - data.outputs.mean()).square().sum())));
}

TEST_CASE("with nothing left the error of effects is Lenth's") {
  const Space space = cube(3, -1, 1);
  const Data data = noisy_runs(space, 4, 0, 1, [](const Eigen::VectorXd& x) { return x[0]; });
  Data half{Eigen::MatrixXd(4, 3), Eigen::MatrixXd(4, 1), {}, true};
  half.inputs << -1, -1, 1, 1, -1, -1, -1, 1, -1, 1, 1, 1;
  half.outputs << 1, 5, 2, 6.5;
  const Ranking r = effects_of_runs(space, half);
  CHECK(measure_of(of(r, 0), "effect").value == doctest::Approx(4.25));
  CHECK(r.remarks.front().find("Lenth") != std::string::npos);
}

TEST_CASE("the interval of an effect's share holds the share that the plan's runs would show without noise") {
  // The total is what it is; the noncentrality is of the runs' own sums of squares.
  const Space space = cube(3, -1, 1);
  int held[3] = {};
  constexpr int seeds = 1000;
  for (Seed seed = 1; seed <= seeds; ++seed) {
    const auto f = [](const Eigen::VectorXd& x) { return x[0] + 0.4 * x[1]; };
    Data data = data_of(full_factorial(space, {2, 4, false}, 1).points, f);
    Stream stream(seed, "noise");
    data.noisy = true;
    for (double& y : data.outputs.reshaped()) y += 0.6 * stream.normal();
    const Ranking r = effects_of_runs(space, data);
    const double total = (data.outputs.array() - data.outputs.mean()).square().sum();
    const double truth[] = {32 / total, 32 * 0.16 / total, 0};
    for (int j = 0; j < 3; ++j) held[j] += of(r, j).low <= truth[j] && truth[j] <= of(r, j).high;
  }
  for (const int h : held) CHECK((h > 0.93 * seeds && h < 0.97 * seeds));
}

TEST_CASE("columns that cannot be told apart are named") {
  const Space space = cube(3);
  Data data = noisy_runs(space, 30, 0, 1, [](const Eigen::VectorXd& x) { return x[0] + x[2]; });
  data.inputs.col(1) = data.inputs.col(0);
  const Ranking effects = effects_of_runs(space, data), correlations = correlations_of_runs(space, data);
  CHECK(std::isnan(of(effects, 1).share));
  CHECK(effects.parameters.back().parameter == 1);
  CHECK(effects.remarks.back().find("x2 with x1") != std::string::npos);
  CHECK(correlations.remarks.back().find("x2 with x1") != std::string::npos);
  CHECK(std::isnan(measure_of(of(correlations, 0), "partial").value));
  CHECK(of(correlations, 0).share == of(correlations, 1).share);
}

TEST_CASE("partial rank correlations are those of residuals, and a choice counts by its contrasts") {
  const Space space({continuous("a", 0, 1), continuous("b", 0, 1), choice("c", {"red", "green", "blue"})});
  const Data data = noisy_runs(space, 60, 0.3, 3, [](const Eigen::VectorXd& x) {
    return std::exp(2 * x[0]) - x[1] + (x[2] == 1 ? 2 : 0);
  });
  const Ranking r = correlations_of_runs(space, data);
  // By hand: residuals of ranks on the others' ranks and on indicators.
  Eigen::MatrixXd others(60, 4);
  others.col(0).setOnes();
  others.col(1) = average_ranks(data.inputs.col(1));
  others.col(2) = (data.inputs.col(2).array() == 1).cast<double>();
  others.col(3) = (data.inputs.col(2).array() == 2).cast<double>();
  const auto rest = [&](const Eigen::VectorXd& v) {
    return Eigen::VectorXd(v - others * others.colPivHouseholderQr().solve(v));
  };
  const Eigen::VectorXd u = rest(average_ranks(data.inputs.col(0))),
                        v = rest(average_ranks(data.outputs.col(0)));
  CHECK(measure_of(of(r, 0), "partial").value ==
        doctest::Approx(u.dot(v) / u.norm() / v.norm()).epsilon(1e-10));
  // The multiple correlation with a choice: its groups' share of the variance.
  double between = 0;
  const Eigen::ArrayXd y = data.outputs.col(0).array();
  for (int k = 0; k < 3; ++k) {
    const Eigen::ArrayXd in = (data.inputs.col(2).array() == k).cast<double>();
    between += std::pow((in * (y - y.mean())).sum(), 2) / in.sum();
  }
  CHECK(of(r, 2).share == doctest::Approx(between / (y - y.mean()).square().sum()).epsilon(1e-10));
  CHECK(of(r, 0).direction == "up");
}

TEST_CASE("intervals of correlations hold") {
  // Of normal numbers Spearman's is 6/π · asin(ρ/2).
  const double rho = 0.5, of_ranks = 6 / M_PI * std::asin(rho / 2);
  int plain = 0, ranks = 0;
  constexpr int seeds = 400;
  for (Seed seed = 1; seed <= seeds; ++seed) {
    Stream stream(seed, "normal");
    Data data{Eigen::MatrixXd(40, 1), Eigen::MatrixXd(40, 1), {}, true};
    for (int i = 0; i < 40; ++i) {
      data.inputs(i, 0) = stream.normal();
      data.outputs(i, 0) = rho * data.inputs(i, 0) + std::sqrt(1 - rho * rho) * stream.normal();
    }
    const Ranking r = correlations_of_runs(cube(1, -9, 9), data);
    const Measure& p = measure_of(r.parameters[0], "pearson");
    const Measure& s = measure_of(r.parameters[0], "spearman");
    plain += p.low <= rho && rho <= p.high;
    ranks += s.low <= of_ranks && of_ranks <= s.high;
  }
  CHECK((plain > 0.92 * seeds && plain < 0.98 * seeds));
  CHECK((ranks > 0.92 * seeds && ranks < 0.98 * seeds));
}

TEST_CASE("first-order shares from runs are Ishigami's, and their intervals hold") {
  const Space space = cube(3, -M_PI, M_PI);
  const double truth[] = {0.3139, 0.4424, 0};
  int held[3] = {};
  constexpr int seeds = 200;
  for (Seed seed = 1; seed <= seeds; ++seed) {
    const Data data =
        noisy_runs(space, 200, 0, seed, [](const Eigen::VectorXd& x) { return ishigami(x[0], x[1], x[2]); });
    const Ranking r = first_order_of_runs(space, data, seed);
    for (int j = 0; j < 3; ++j) held[j] += of(r, j).low <= truth[j] && truth[j] <= of(r, j).high;
  }
  for (const int h : held) CHECK(h >= 0.9 * seeds);
  const Data many =
      noisy_runs(space, 20'000, 0, 1, [](const Eigen::VectorXd& x) { return ishigami(x[0], x[1], x[2]); });
  const Ranking r = first_order_of_runs(space, many, 1);
  for (int j = 0; j < 3; ++j) CHECK(std::abs(of(r, j).share - truth[j]) < 0.015);
  CHECK((of(r, 0).direction == "mixed" && of(r, 2).direction == "none"));
}

TEST_CASE("distance covariance in n log n is the one by its definition") {
  Stream stream(1, "numbers");
  for (const bool labels : {false, true}) {
    constexpr int n = 41;
    Eigen::VectorXd x(n), y(n);
    for (int i = 0; i < n; ++i) {
      x[i] = labels ? double(stream.below(3)) : std::round(10 * stream.uniform());  // with ties
      y[i] = std::sin(x[i]) + 0.3 * stream.normal();
    }
    std::vector<Eigen::Index> order;
    for (const int i : stream.permutation(n)) order.push_back(i);
    // A_ij = a_ij − row/(n − 2) − column/(n − 2) + all/((n − 1)(n − 2)), Σ_{i≠j} A_ij B_ij/(n(n − 3)).
    const auto centred = [&](const std::function<double(int, int)>& distance) {
      Eigen::MatrixXd a(n, n);
      for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) a(i, j) = distance(i, j);
      const Eigen::VectorXd rows = a.rowwise().sum();
      Eigen::MatrixXd out = a.array() + rows.sum() / ((n - 1.0) * (n - 2.0));
      out.colwise() -= rows / (n - 2.0);
      out.rowwise() -= rows.transpose() / (n - 2.0);
      out.diagonal().setZero();
      return out;
    };
    const Eigen::MatrixXd a = centred([&](int i, int j) {
      return labels ? double(x[i] != x[j]) : std::abs(x[i] - x[j]);
    }),
                          b = centred([&](int i, int j) { return std::abs(y[order[i]] - y[order[j]]); });
    const double expected = a.cwiseProduct(b).sum() / (n * (n - 3.0));
    const DistanceColumn u = labels ? DistanceColumn::of_labels(x) : DistanceColumn::of_numbers(x);
    CHECK(distance_covariance(u, DistanceColumn::of_numbers(y), order) ==
          doctest::Approx(expected).epsilon(1e-12));
  }
}

TEST_CASE("dependence sees what correlations do not, and errs as rarely as it says") {
  const Space space = cube(4, -1, 1);
  const auto bowl = [](const Eigen::VectorXd& x) { return x[0] * x[0] + 0.3 * x[1]; };
  const Data data = noisy_runs(space, 80, 0.05, 1, bowl);
  const Ranking r = dependence_of_runs(space, data, 1);
  CHECK((r.parameters[0].parameter == 0 && r.parameters[1].parameter == 1));
  CHECK(measure_of(of(r, 0), "p").value < 0.01);
  CHECK((of(r, 0).direction == "mixed" && of(r, 1).direction == "up" && of(r, 3).direction == "none"));
  CHECK(measure_of(of(correlations_of_runs(space, data), 0), "pearson").low < 0);
  int any = 0;
  constexpr int seeds = 200;
  for (Seed seed = 1; seed <= seeds; ++seed) {
    Data noise = data_of(sample_region(space, 30, Values::physical, seed, "runs"), bowl);
    Stream stream(seed, "noise");
    for (double& y : noise.outputs.reshaped()) y = stream.normal();
    double least = 1;
    for (const auto& p : dependence_of_runs(space, noise, seed).parameters)
      least = std::min(least, measure_of(p, "p").value);
    any += least <= 0.05;  // in any of the four
  }
  CHECK((any >= 2 && any <= 20));
}

TEST_CASE("what cannot be ranked from runs is refused") {
  const Space space = cube(2);
  const Data two = data_of(sample_region(space, 2, Values::physical, 1, "runs"),
                           [](const Eigen::VectorXd& x) { return x[0]; });
  CHECK_THROWS_WITH(effects_of_runs(space, two), doctest::Contains("2 runs cannot rank"));
  CHECK_THROWS_WITH(dependence_of_runs(space, two, 1), doctest::Contains("2 runs cannot rank"));
  const Data flat = data_of(sample_region(space, 20, Values::physical, 1, "runs"),
                            [](const Eigen::VectorXd&) { return 0.1; });
  CHECK_THROWS_WITH(effects_of_runs(space, flat), doctest::Contains("never varies"));
  CHECK_THROWS_WITH(first_order_of_runs(space, flat, 1), doctest::Contains("never varies"));
  const Data some = data_of(sample_region(space, 20, Values::physical, 1, "runs"),
                            [](const Eigen::VectorXd& x) { return x[0]; });
  CHECK_THROWS_WITH(elementary_effects(space, some), doctest::Contains("no trajectories"));
}
