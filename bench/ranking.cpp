// Ranking on a surrogate: errors of indices beside two published estimators at the same points, what a
// polynomial's and a kriging's values cost, two threads against one, Shapley effects beside first-order
// indices.
#include <cblas.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <functional>
#include <further_functions.hpp>
#include <optional>
#include <quadrature.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/surrogate/data.hpp>
#include <timing.hpp>

using namespace renth;
using bench::fastest;

namespace {

/// Sums of squared errors of first and total indices.
struct Errors {
  double first = 0, total = 0;
  int count = 0;
  void add(double first_error, double total_error) {
    first += first_error * first_error;
    total += total_error * total_error;
    ++count;
  }
  void print(const char* name) const {
    std::printf("  %-40s first %.2e   total %.2e\n", name, std::sqrt(first / count),
                std::sqrt(total / count));
  }
};

/// Root mean square errors over seeds, all at the same scrambled points and as many evaluations.
void compare(const bench::TestFunction& f, const bench::Indices& exact, int samples) {
  const Space space = f.space();
  const Eigen::Index d = space.size();
  const auto value = [&](const Eigen::MatrixXd& unit) {
    Eigen::VectorXd y(unit.rows()), x(d);
    for (Eigen::Index i = 0; i < unit.rows(); ++i) {
      for (Eigen::Index j = 0; j < d; ++j) x[j] = space.from_unit(j, unit(i, j), false);
      y[i] = f.value(x);
    }
    return y;
  };
  const Evaluate model = [&](Points x) {
    Eigen::MatrixXd y(x.rows(), 1);
    for (Eigen::Index i = 0; i < x.rows(); ++i) y(i, 0) = f.value(Eigen::VectorXd(x.row(i).transpose()));
    return y;
  };
  Errors ours, older, newer;
  for (Seed seed = 1; seed <= 20; ++seed) {
    const Ranking r = rank_parameters(space, model, {}, {.samples = samples / 8, .replicates = 8}, seed);
    for (const RankedParameter& p : r.parameters)
      ours.add(p.first - exact.first[p.parameter], p.total - exact.total[p.parameter]);
    const Eigen::MatrixXd unit = scrambled_sobol_points(samples, 2 * d, seed, "scramble");
    const Eigen::MatrixXd a = unit.leftCols(d), b = unit.rightCols(d);
    const Eigen::VectorXd ya = value(a), yb = value(b);
    const double n = double(samples), mean = ya.mean(), variance = ya.squaredNorm() / n - mean * mean;
    for (Eigen::Index j = 0; j < d; ++j) {
      Eigen::MatrixXd mixed = a;
      mixed.col(j) = b.col(j);
      const Eigen::VectorXd y = value(mixed);
      older.add((yb.dot(y) / n - mean * mean) / variance - exact.first[j],
                1 - (ya.dot(y) / n - mean * mean) / variance - exact.total[j]);
      const double both = (yb + y).mean() / 2,
                   pooled = (yb.squaredNorm() + y.squaredNorm()) / (2 * n) - both * both;
      newer.add((yb.dot(y) / n - both * both) / pooled - exact.first[j],
                (ya - y).squaredNorm() / (2 * n) / variance - exact.total[j]);
    }
  }
  std::printf("%s, %d base points\n", f.name.c_str(), samples);
  ours.print("ours");
  older.print("Sobol' 1993, Homma and Saltelli 1996");
  newer.print("Janon et al. 2014, Jansen 1999");
}

std::vector<bench::GaussRule> rules(const bench::TestFunction& f, const std::vector<int>& nodes) {
  std::vector<bench::GaussRule> out;
  for (std::size_t j = 0; j < nodes.size(); ++j)
    out.push_back(bench::uniform_rule(nodes[j], f.ranges[j].first, f.ranges[j].second));
  return out;
}

std::unique_ptr<const Surrogate> fitted_quadratic(const Space& space, const std::string& terms) {
  Data data{latin_hypercube(space, {.runs = 300}, 1).points, Eigen::MatrixXd(300, 1), {}, false};
  Stream stream(1, "response");
  for (Eigen::Index i = 0; i < 300; ++i)
    data.outputs(i, 0) = data.inputs.row(i).head(10).squaredNorm() + data.inputs(i, 0) * data.inputs(i, 1) +
                         data.inputs.row(i).sum() + 0.1 * stream.normal();
  return polynomial_fit({.terms = parse_terms(space, terms)})(space, data, 1);
}

}  // namespace

int main() {
  std::optional<ParallelLimit> one(1);
  compare(bench::otl_circuit(),
          bench::by_quadrature(bench::otl_circuit().value, rules(bench::otl_circuit(), {7, 6, 6, 5, 4, 4})),
          1 << 14);
  compare(bench::piston(),
          bench::by_quadrature(bench::piston().value, rules(bench::piston(), {6, 7, 7, 6, 4, 3, 3})),
          1 << 14);
  compare(bench::borehole(),
          bench::by_quadrature(bench::borehole().value, rules(bench::borehole(), {7, 4, 3, 4, 4, 4, 6, 4})),
          1 << 14);

  std::vector<Parameter> ten;
  for (int j = 0; j < 10; ++j) ten.push_back(continuous("x" + std::to_string(j), -1, 2));
  const Space space(ten);
  const auto quadratic = fitted_quadratic(space, "quadratic");
  constexpr Eigen::Index points = 4096, rounds = 50;
  const Eigen::MatrixXd at = scrambled_sobol_points(points, 10, 2, "points");
  constexpr int size = 1000;
  const Eigen::MatrixXd left = Eigen::MatrixXd::Random(size, size),
                        right = Eigen::MatrixXd::Random(size, size);
  Eigen::MatrixXd product(size, size);
  const double gemm = fastest(5, [&] {
    cblas_dgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, size, size, size, 1.0, left.data(), size,
                right.data(), size, 0.0, product.data(), size);
  });
  const double multiplications = 1e9 / gemm;  // each with its addition
  const double values = fastest(5, [&] {
    for (Eigen::Index r = 0; r < rounds; ++r) quadratic->predict(at);
  });
  const double each = double(points * rounds) / values;
  std::printf(
      "\n66 terms in 10 parameters: %.1f million values a second; one multiplication and addition a term "
      "is %.0f %% of dgemm's rate (limit 30 %%)\n",
      1e-6 * each, 100 * each * 66 / multiplications);

  // A whole ranking on a kriging, one thread and two.
  const bench::TestFunction otl = bench::otl_circuit();
  const Data runs = bench::runs_of(otl, latin_hypercube(otl.space(), {.runs = 200}, 1).points);
  const auto kriging = kriging_fit({.kernel = Kernel::matern52})(otl.space(), runs, 1);
  const auto rank_it = [&](int threads) {
    const ParallelLimit limit(threads);
    return fastest(3, [&] {
      rank_parameters(
          otl.space(), [&](Points x) { return kriging->predict(x).mean; }, {}, {}, 1);
    });
  };
  one.reset();
  const double alone = rank_it(1), together = rank_it(2);
  std::printf(
      "ranking on a kriging of 200 runs: %.0f ms on one thread, %.0f ms on two: %.2f times (limit 1.8)\n",
      1e3 * alone, 1e3 * together, alone / together);

  one.emplace(1);
  // Shapley effects of twenty parameters under a limit, and first-order indices without it.
  std::vector<Parameter> twenty;
  for (int j = 0; j < 20; ++j) twenty.push_back(continuous("x" + std::to_string(j), -1, 2));
  std::string terms = "quadratic";
  for (int i = 0; i < 20; ++i)
    for (int j = i + 1; j < 20; ++j)
      if (j != i + 1 && !(i < 8 && j < 8)) terms += " - x" + std::to_string(i) + "*x" + std::to_string(j);
  for (int j = 0; j < 14; ++j) terms += " - x" + std::to_string(19 - j) + "^2";
  const Space plain(twenty);
  const auto surrogate = fitted_quadratic(plain, terms);
  const Evaluate whole = [&](Points x) { return surrogate->predict(x).mean; };
  const Space cut = plain.with({{"x0 + x1 <= 3", [](const double* x) { return 3 - x[0] - x[1]; }}});
  const auto to_a_hundredth = [&](const Space& s, RankOptions options, double& widest) {
    for (options.samples = 16;; options.samples *= 2) {
      Ranking r;
      const double seconds = fastest(3, [&] { r = rank_parameters(s, whole, {}, options, 1); });
      widest = 0;
      for (const RankedParameter& p : r.parameters) widest = std::max(widest, (p.high - p.low) / 2);
      if (widest <= 0.01 || options.samples >= 1 << 15) {
        std::printf("  %-10s %6d base points, 8 times: half-widths up to %.4f in %8.2f ms\n",
                    r.method.c_str(), options.samples, widest, 1e3 * seconds);
        return seconds;
      }
    }
  };
  std::printf("\n20 parameters, %zu terms\n", parse_terms(plain, terms).size());
  double widest = 0;
  const double first = to_a_hundredth(plain, {}, widest), shapley = to_a_hundredth(cut, {}, widest);
  std::printf("  ratio %.0f (limit 60)\n", shapley / first);
}
