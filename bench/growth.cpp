// How the cost of fitting grows: with runs, with parameters that do not matter, and with responses. One
// thread; ratios are against dpotrf + dpotri of the same number of runs, or a plain kriging fit of the same
// data. Use: bench-growth [MOST RUNS]
#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <functions.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/process.hpp>
#include <string>

using namespace renth;

extern "C" void dpotrf_(const char*, const int*, double*, const int*, int*, long);
extern "C" void dpotri_(const char*, const int*, double*, const int*, int*, long);

namespace {

double seconds_of(const std::function<void()>& call) {
  const auto start = std::chrono::steady_clock::now();
  call();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

Data runs_at(const bench::TestFunction& f, int runs, Seed seed) {
  return bench::runs_of(f, sample_region(f.space(), runs, Values::physical, seed, "growth"));
}

double error_of(const Surrogate& surrogate, const Data& fresh) {
  const Eigen::VectorXd y = fresh.outputs.col(0);
  return (predict_in_blocks(surrogate, fresh.inputs, {}).mean.col(0) - y).norm() /
         (y.array() - y.mean()).matrix().norm();
}

double factorisation(const Space& space, const Data& data) {
  Eigen::MatrixXd k;
  correlation_matrix(Kernel::matern52, features(space, data.inputs), 1e-6, k);
  const int n = int(k.rows());
  int info = 0;
  return seconds_of([&] {
    dpotrf_("L", &n, k.data(), &n, &info, 1);
    dpotri_("L", &n, k.data(), &n, &info, 1);
  });
}

void runs(int most) {
  const bench::TestFunction f = bench::otl_circuit();
  const Data fresh = runs_at(f, 2000, 99);
  std::printf("%6s %22s %16s %18s %14s %8s  %s\n", "runs", "dpotrf + dpotri [s]", "one kriging [s]",
              "whole choice [s]", "choice, times", "error", "chosen");
  for (const int n : {250, 500, 1000, 2000, 5000}) {
    if (n > most) break;
    const Data data = runs_at(f, n, 1);
    const double unit = factorisation(f.space(), data);
    const double one = seconds_of([&] { kriging_fit({.kernel = Kernel::matern52})(f.space(), data, 1); });
    FittedResponse chosen;
    const double whole = seconds_of([&] { chosen = fit_response(f.space(), data); });
    std::printf("%6d %22.4f %16.2f %18.2f %14.0f %8.1e  %s\n", n, unit, one, whole, whole / unit,
                error_of(*chosen.surrogate, fresh), std::string(chosen.surrogate->kind()).c_str());
    std::fflush(stdout);
  }
}

/// 100 parameters of which five matter (Friedman's function), 300 runs.
void idle() {
  bench::TestFunction f = bench::friedman();
  f.ranges.resize(100, {0, 1});
  const Data data = runs_at(f, 300, 1), fresh = runs_at(f, 2000, 99);
  std::unique_ptr<const Surrogate> plain;
  const double one =
      seconds_of([&] { plain = kriging_fit({.kernel = Kernel::matern52})(f.space(), data, 1); });
  FitRequest request;
  request.kernel = Kernel::matern52;
  request.trend = "constant";
  FittedResponse dropped;
  const double with =
      seconds_of([&] { dropped = fit_response(f.space(), data, {.kind = "kriging", .request = request}); });
  std::printf(
      "\n100 parameters, 5 matter, 300 runs: plain kriging %.2f s, error %.3f; idle ones dropped, with "
      "folds, "
      "%.2f s (%.2f times), error %.3f, %zu left out\n",
      one, error_of(*plain, fresh), with, with / one, error_of(*dropped.surrogate, fresh),
      dropped.idle.size());
}

void many_runs() {
  const bench::TestFunction f = bench::borehole();
  const Data fresh = runs_at(f, 2000, 99), all = runs_at(f, 100'000, 1);
  std::printf("\n%8s %10s %12s\n", "runs", "fit [s]", "error");
  const auto part = [&](Eigen::Index n) {
    return Data{all.inputs.topRows(n), all.outputs.topRows(n), {}, false};
  };
  for (const int n : {25'000, 50'000, 100'000}) {
    std::unique_ptr<const Surrogate> near;
    const double one = seconds_of([&] { near = kriging_fit({})(f.space(), part(n), 1); });
    std::printf("%8d %10.1f %12.2e   of nearest runs\n", n, one, error_of(*near, fresh));
    std::fflush(stdout);
  }
  std::unique_ptr<const Surrogate> exact;
  const double one = seconds_of([&] { exact = kriging_fit({.most_dense = 4000})(f.space(), part(4000), 1); });
  std::printf("%8d %10.1f %12.2e   of all runs (%s)\n", 4000, one, error_of(*exact, fresh),
              std::string(exact->kind()).c_str());
}

}  // namespace

int main(int argc, char** argv) {
  const ParallelLimit limit(1);
  const int most = argc > 1 ? std::atoi(argv[1]) : 5000;
  idle();
  runs(most);
  many_runs();
}
