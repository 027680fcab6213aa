#include <doctest/doctest.h>

#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/terms/terms.hpp>
#include <support_ranking.hpp>

using namespace renth;
using namespace renth::test;

namespace {
const Evaluate ishigami_model = each([](const Eigen::VectorXd& p) { return ishigami(p[0], p[1], p[2]); });
}  // namespace

TEST_CASE("Sobol' indices of Ishigami's function are the analytic ones, inside their intervals") {
  const Space space = cube(3, -M_PI, M_PI);
  const Ranking r = rank_parameters(space, ishigami_model, {}, {}, 1);
  const double a = 7, b = 0.1, v1 = 0.5 * std::pow(1 + b * std::pow(M_PI, 4) / 5, 2), v2 = a * a / 8,
               v13 = b * b * std::pow(M_PI, 8) * (1.0 / 18 - 1.0 / 50), v = v1 + v2 + v13;
  CHECK(r.method == "sobol");
  CHECK(r.variance == doctest::Approx(v).epsilon(0.01));
  const double first[] = {v1 / v, v2 / v, 0}, total[] = {(v1 + v13) / v, v2 / v, v13 / v};
  for (const RankedParameter& p : r.parameters) {
    CHECK(std::abs(p.first - first[p.parameter]) < 0.01);
    CHECK(std::abs(p.total - total[p.parameter]) < 0.01);
    CHECK((p.low <= first[p.parameter] + 0.002 && first[p.parameter] - 0.002 <= p.high));
    CHECK((p.low <= p.share && p.share <= p.high));
  }
  CHECK((r.parameters[0].parameter == 1 && r.parameters[2].parameter == 2));
  CHECK((r.interactions[0].a == 0 && r.interactions[0].b == 2));
  CHECK(r.interactions[0].share == doctest::Approx(v13 / v).epsilon(0.03));
  CHECK(r.unexplained < 0.01);
}

TEST_CASE("directions and idle parameters are told") {
  const Ranking r = rank_parameters(
      cube(4), each([](const Eigen::VectorXd& p) { return 3 * p[0] - p[1] + std::pow(p[2] - 0.5, 2) * 4; }),
      {}, {}, 1);
  std::map<Eigen::Index, std::string> direction;
  for (const RankedParameter& p : r.parameters) direction[p.parameter] = p.direction;
  CHECK(direction[0] == "up");
  CHECK(direction[1] == "down");
  CHECK(direction[2] == "mixed");
  CHECK(direction[3] == "none");
}

TEST_CASE("shares of a cut region add up, and what nothing knows of has none") {
  const Space space = cube(3).with({{"x1 + x2 <= 1", [](const double* x) { return 1 - x[0] - x[1]; }}});
  const Ranking r =
      rank_parameters(space, each([](const Eigen::VectorXd& p) { return p[0] + p[1]; }), {}, {}, 1);
  CHECK(r.method == "shapley");
  double sum = 0;
  for (const RankedParameter& p : r.parameters) {
    sum += p.share;
    if (p.parameter == 2)
      CHECK(p.share == 0);
    else
      CHECK(p.share == doctest::Approx(0.5).epsilon(0.05));  // by symmetry
    CHECK(std::isnan(p.first));
  }
  CHECK(sum == doctest::Approx(1).epsilon(1e-9));
}

TEST_CASE("without a cut Shapley effects lie between first-order and total indices") {
  const Space space = cube(3, -M_PI, M_PI);
  const VarianceShares s = shapley_effects(space, {ishigami_model}, 20'000, 1, 0)[0];
  // first plus half of the interaction of 1 and 3
  CHECK(s.parameters[0].share == doctest::Approx(0.3139 + 0.5 * 0.2437).epsilon(0.05));
  CHECK(s.parameters[1].share == doctest::Approx(0.4424).epsilon(0.05));
  CHECK(s.parameters[2].share == doctest::Approx(0.5 * 0.2437).epsilon(0.1));
}

TEST_CASE("of many parameters a few orders with their reverses share what two do together") {
  // Σ (j + 1) x_j + 20 x_1 x_2 on (−1, 1)^12: variances (j + 1)²/3 and 400/9.
  const Space space = cube(12, -1, 1);
  const Evaluate model = each([](const Eigen::VectorXd& x) {
    double y = 20 * x[0] * x[1];
    for (int j = 0; j < 12; ++j) y += (j + 1) * x[j];
    return y;
  });
  constexpr int replicates = 8;
  Eigen::VectorXd share = Eigen::VectorXd::Zero(12);
  for (int r = 0; r < replicates; ++r) {
    const VarianceShares s = shapley_effects(space, {model}, 4096, 1, r)[0];
    for (int j = 0; j < 12; ++j) share[j] += s.parameters[std::size_t(j)].share / replicates;
  }
  const double all = 650.0 / 3 + 400.0 / 9;
  for (int j = 0; j < 12; ++j)
    CHECK(std::abs(share[j] - ((j + 1) * (j + 1) / 3.0 + (j < 2 ? 200.0 / 9 : 0)) / all) < 0.01);
}

TEST_CASE("fold models that disagree widen the intervals") {
  const auto slope = [](double a) { return each([a](const Eigen::VectorXd& p) { return a * p[0] + p[1]; }); };
  const auto width = [&](double spread) {
    std::vector<Evaluate> folds;
    for (int k = 0; k < 10; ++k) folds.push_back(slope(1 + spread * (k - 4.5)));
    const Ranking r = rank_parameters(cube(2), slope(1), folds, {}, 1);
    return r.parameters[0].high - r.parameters[0].low;
  };
  CHECK(width(0.02) > 5 * width(0));
}

TEST_CASE("intervals hold what the surrogate misses, and all of it for a parameter that it leaves out") {
  const Space space = cube(3);
  const Evaluate plane = [](Points x) { return Eigen::MatrixXd(2 * x.col(0) + x.col(1)); };
  RankOptions options;
  options.samples = 256;
  const auto high_of = [&](Eigen::Index j) {
    for (const RankedParameter& p : rank_parameters(space, plane, {}, options, 1).parameters)
      if (p.parameter == j) return p.high;
    return -1.0;
  };
  CHECK(high_of(2) < 1e-6);
  options.missed = 0.2;
  CHECK(high_of(2) >= 2.9 * 0.2 / 4);
  CHECK(high_of(2) < 0.2);
  options.left_out = {2};
  CHECK(high_of(2) == 0.2);
  options = {.samples = 256, .noise = 0.01};
  CHECK(high_of(2) > 0.03);  // an effect of two standard errors would not be seen
}

TEST_CASE("what is missed is told from the noise that a surrogate sees") {
  const Space space = cube(2);
  Stream noise(5, "noise");
  Data data;
  data.inputs = spread_out(space, 400, 2);
  data.outputs = std::sqrt(12.0) * data.inputs.col(0);  // of variance 1
  for (double& y : data.outputs.reshaped()) y += 0.5 * noise.normal();
  data.noisy = true;
  const auto line = polynomial_fit({parse_terms(space, "linear")})(space, data, 1);
  RankOptions options;
  tell_what_is_missed(*line, data, 0.8, options);  // 1/(1 + ¼): all that can be reached
  CHECK(options.missed < 0.06);
  CHECK(options.noise == doctest::Approx(0.25 / 400).epsilon(0.2));
  tell_what_is_missed(*line, data, 0.4, options);
  CHECK(options.missed == doctest::Approx(0.5).epsilon(0.1));
  tell_what_is_missed(*line, data, NAN, options);
  CHECK(options.missed == 1);
}
