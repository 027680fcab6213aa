// Kriging against LAPACK and against the bare kernel, on one thread. Use: bench-kriging [RUNS [PARAMETERS]]
#include <cblas.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <renth/numeric/cholesky.hpp>
#include <renth/numeric/lapack.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/process.hpp>

double kernel_loop(const double* distances, const double* weights, std::size_t n);

extern "C" void dpotrf_(const char*, const int*, double*, const int*, int*, long);

namespace {

/// Seconds of the fastest of some calls, after one to warm up.
double fastest(int calls, const std::function<void()>& call) {
  double best = 1e300;
  for (int i = calls == 0 ? 1 : 0; i <= std::max(calls, 1); ++i) {
    const auto start = std::chrono::steady_clock::now();
    call();
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    if (i > 0) best = std::min(best, seconds);
  }
  return best;
}

double response(const Eigen::VectorXd& x) {
  double y = 0;
  for (Eigen::Index j = 0; j < x.size(); ++j)
    y += std::sin(3 * x[j] + static_cast<double>(j)) + (j > 0 ? x[j] * x[j - 1] : 0);
  return y;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace renth;
  const ParallelLimit limit(1);
  const int n = argc > 1 ? std::atoi(argv[1]) : 500, d = argc > 2 ? std::atoi(argv[2]) : 6;
  std::vector<Parameter> parameters(static_cast<std::size_t>(d));
  for (int j = 0; j < d; ++j) parameters[j].name = "x" + std::to_string(j);
  const Space space(parameters);
  Data data{scrambled_sobol_points(n, d, 1, "bench"), Eigen::MatrixXd(n, 1), {}, false};
  for (int i = 0; i < n; ++i) data.outputs(i, 0) = response(data.inputs.row(i).transpose());
  std::printf("kriging, %d runs of %d parameters, one thread\n\n", n, d);

  KrigingObjective likelihood({features(space, data.inputs), feature_lengths(space), data.outputs.col(0),
                               Eigen::MatrixXd::Ones(n, 1), Kernel::matern52, KrigingCriterion::likelihood,
                               false});
  Eigen::VectorXd t = Eigen::VectorXd::Zero(d), gradient;
  Eigen::MatrixXd k, work;
  correlation_matrix(Kernel::matern52, features(space, data.inputs), 1e-6, k);
  const double lapack = fastest(15, [&] {
    work = k;
    int info = 0;
    dpotrf_("L", &n, work.data(), &n, &info, 1);
    dpotri_("L", &n, work.data(), &n, &info, 1);
  });
  const double with_gradient = fastest(15, [&] { likelihood(t, &gradient); });
  std::printf(
      "likelihood with gradient       %8.3f ms   dpotrf + dpotri %8.3f ms   ratio %.2f   (limit 1.3)\n",
      1e3 * with_gradient, 1e3 * lapack, with_gradient / lapack);

  std::vector<int> evaluations;
  const auto fitted = kriging_fit({.kernel = Kernel::matern52, .evaluations = &evaluations})(space, data, 1);
  double sum = 0;
  for (const int e : evaluations) sum += e;
  std::printf("likelihoods a start            %8.1f on average over %zu starts   (limit 50)\n",
              sum / static_cast<double>(evaluations.size()), evaluations.size());

  const double alone =
      fastest(0, [&] { kriging_fit({.kernel = Kernel::matern52, .trend = "1"})(space, data, 1); });
  FitRequest request;
  request.kernel = Kernel::matern52;
  request.trend = "constant";
  ChoosingOptions one;
  one.drop_parameters = false;
  one.most_candidates = 1;
  one.repeats = 1;
  const double whole = fastest(
      0, [&] { fit_response(space, data, {.kind = "kriging", .request = request, .choosing = one}); });
  std::printf(
      "fit of one kernel and trend    %8.1f times dpotrf + dpotri; with ten folds %.1f times   (limit 90)\n",
      alone / lapack, whole / lapack);

  constexpr Eigen::Index points = 100'000;
  const Eigen::MatrixXd at = scrambled_sobol_points(points, d, 2, "points");
  const double means = fastest(3, [&] { fitted->predict(at); });
  // Distances that are ready, in cache as far as they fit.
  std::vector<double> distances(static_cast<std::size_t>(n)), weights(distances.size(), 0.5);
  for (int i = 0; i < n; ++i) distances[i] = 3.0 * i / n;
  volatile double sink = 0;
  const double loop = fastest(3, [&] {
    for (Eigen::Index p = 0; p < points; ++p) {
      distances[0] = 1e-5 * static_cast<double>(p);
      sink = sink + kernel_loop(distances.data(), weights.data(), distances.size());
    }
  });
  std::printf(
      "means at 100 000 points        %8.1f ms   kernel on ready distances %8.1f ms   rate %.0f %%   (limit "
      "80 %%)\n",
      1e3 * means, 1e3 * loop, 100 * loop / means);

  constexpr Eigen::Index block = 20'000;
  Eigen::MatrixXd right = Eigen::MatrixXd::Random(n, block), factor = k;
  cholesky_in_place(factor);
  const double solve = fastest(3, [&] {
    cblas_dtrsm(CblasColMajor, CblasLeft, CblasLower, CblasNoTrans, CblasNonUnit, n, block, 1.0,
                factor.data(), n, right.data(), n);
    right.array() = right.array().max(-1).min(1);
  });
  const double deviations = fastest(3, [&] { fitted->predict(at.topRows(block), {.variance = true}); });
  std::printf("deviations at 20 000 points    %8.1f ms   dtrsm %8.1f ms   rate %.0f %%   (limit 70 %%)\n",
              1e3 * deviations, 1e3 * solve, 100 * solve / deviations);

  // Many runs: two layers, of which the exact one costs the same for all.
  std::printf("\n%9s %9s %24s %9s\n", "runs", "fit [s]", "10 000 predictions [s]", "error");
  for (const int many : {12'500, 25'000, 50'000, 100'000}) {
    Data large{scrambled_sobol_points(many, d, 3, "many"), Eigen::MatrixXd(many, 1), {}, false};
    for (int i = 0; i < many; ++i) large.outputs(i, 0) = response(large.inputs.row(i).transpose());
    std::unique_ptr<const Surrogate> near;
    const double fit_time =
        fastest(0, [&] { near = kriging_fit({.kernel = Kernel::matern52})(space, large, 1); });
    const Eigen::MatrixXd fresh = scrambled_sobol_points(10'000, d, 4, "fresh");
    Prediction p;
    const double asked = fastest(1, [&] { p = near->predict(fresh, {.variance = true}); });
    double error = 0, total = 0;
    for (Eigen::Index i = 0; i < fresh.rows(); ++i) {
      const double y = response(fresh.row(i).transpose());
      error += (y - p.mean(i, 0)) * (y - p.mean(i, 0));
      total += (y - large.outputs.mean()) * (y - large.outputs.mean());
    }
    std::printf("%9d %9.1f %24.2f %9.1e\n", many, fit_time, asked, std::sqrt(error / total));
  }
}
