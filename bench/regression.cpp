// Full regression statistics of 100 000 runs and 66 terms against LAPACK's plain least-squares solve (dgels)
// on the same matrix, and stepwise choice over 66 terms against one full fit. One thread each; then two.

#include <chrono>
#include <cstdio>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/quality/regression_report.hpp>
#include <renth/selection/best_subset.hpp>
#include <renth/selection/choose_terms.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <timing.hpp>
#include <vector>

using namespace renth;
using bench::fastest;

extern "C" void dgels_(const char*, const int*, const int*, const int*, double*, const int*, double*,
                       const int*, double*, const int*, int*, long);

namespace {

Space cube(int d) {
  std::vector<Parameter> parameters(static_cast<std::size_t>(d));
  for (int j = 0; j < d; ++j) {
    parameters[std::size_t(j)].name = "x" + std::to_string(j + 1);
    parameters[std::size_t(j)].low = -1;
  }
  return Space(parameters);
}

Data make_data(const Space& space, Eigen::Index n, double noise) {
  Data data{
      2 * scrambled_sobol_points(n, space.size(), 1, "bench").array() - 1, Eigen::MatrixXd(n, 1), {}, true};
  Stream stream(1, "noise");
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto x = data.inputs.row(i);
    data.outputs(i, 0) = 5 + x.sum() + x[0] * x[1] - 2 * x[2] * x[2] + noise * stream.normal();
  }
  return data;
}

void statistics(const char* threads) {
  const Space space = cube(10);
  const Data data = make_data(space, 100'000, 0.5);
  const Terms terms = parse_terms(space, "quadratic");
  double sink = 0;
  const Eigen::MatrixXd x = model_matrix(space, terms, data.inputs);
  const double lapack = fastest(3, [&] {
    Eigen::MatrixXd a = x;
    Eigen::VectorXd b = data.outputs.col(0);
    const int rows = int(a.rows()), columns = int(a.cols()), one = 1, size = 64 * columns;
    std::vector<double> work(std::size_t(size) + 64);
    int info = 0;
    dgels_("N", &rows, &columns, &one, a.data(), &rows, b.data(), &rows, work.data(), &size, &info, 1);
    sink += b[0];
  });
  const double full = fastest(3, [&] {
    const auto model = polynomial_fit({terms})(space, data, 1);
    sink += static_cast<const Polynomial&>(*model).state().sigma2;
  });
  const double report = fastest(3, [&] {
    const Regression fit = regress(space, data, terms);
    const Anova anova = analyse_variance(space, data, fit);
    const Diagnostics d = diagnose(fit);
    sink += anova.rows[0].ss + d.cook[0] + fit.inverse.norm();
  });
  std::printf(
      "%s: 10^5 x 66: dgels %.0f ms; coefficients with their errors %.2f, with analysis of variance, "
      "leverages, Cook's distances and tests %.2f times that (%g)\n",
      threads, lapack * 1e3, full / lapack, report / lapack, sink);
}

void stepwise() {
  const Space space = cube(10);
  const Terms terms = parse_terms(space, "quadratic");
  for (const Eigen::Index n : {200, 2000, 100'000}) {
    const Data data = make_data(space, n, 2);
    double sink = 0;
    const int times = n > 10'000 ? 2 : 5;
    const double full = fastest(times, [&] {
      const Regression fit = regress(space, data, terms);
      sink += analyse_variance(space, data, fit).rows[0].ss + diagnose(fit).cook[0];
    });
    std::printf("n = %ld: full fit %.1f ms;", long(n), full * 1e3);
    for (const char* method : {"forward", "backward", "both"})
      for (const char* rule : {"p", "aicc", "predicted-r2"}) {
        TermChoice choice;
        choice.method = choice_method_words.value(method, "bench");
        choice.rule = choice_rule_words.value(rule, "bench");
        std::size_t steps = 0;
        const double seconds =
            fastest(times, [&] { steps = choose_terms(space, data, terms, choice).steps.size(); });
        std::printf(" %s by %s %.1f (%zu);", method, rule, seconds / full, steps);
      }
    std::printf(" times that, steps in brackets (%g)\n", sink);
  }
}

void subsets() {
  const Space space = cube(6);
  const Terms terms = parse_terms(space, "quadratic + x1^3 + x2^3 + x3^3");
  for (const double noise : {0.5, 50.0}) {
    const Data data = make_data(space, 80, noise);
    const Regression design = regress(space, data, terms);
    for (const bool heredity : {true, false}) {
      std::size_t sizes = 0;
      const double seconds =
          fastest(1, [&] { sizes = best_subsets(design, term_units(space, design, heredity)).size(); });
      std::printf("best subsets of 30 terms, noise %g, heredity %d: %.2f s, %zu sizes\n", noise, heredity,
                  seconds, sizes);
    }
  }
}

}  // namespace

int main() {
  {
    const ParallelLimit one(1);
    statistics("one thread");
    stepwise();
  }
  const ParallelLimit two(2);
  statistics("two threads (dgels on one)");
  subsets();
}
