// Searching: one seek with two goals on krigings of 200 runs in 6 parameters, and a front of 200 points, in
// the time of single predictions (one call, one point, mean and deviation of both responses).
#include <chrono>
#include <cmath>
#include <cstdio>
#include <functional>
#include <further_functions.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/search/front.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>

using namespace renth;

namespace {
double seconds_of(const std::function<void()>& call) {
  const auto start = std::chrono::steady_clock::now();
  call();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}
}  // namespace

int main() {
  const ParallelLimit one(1);
  const bench::TestFunction first = bench::otl_circuit();
  const Space space = first.space();
  const Eigen::MatrixXd points =
      latin_hypercube(space, {.runs = 200, .criterion = LatinHypercubeOptions::Criterion::none}, 1).points;
  Data a = bench::runs_of(first, points), b = a;
  for (Eigen::Index i = 0; i < 200; ++i)
    b.outputs(i, 0) =
        std::sin(points(i, 0) / 30) + points(i, 3) * points(i, 4) - std::pow(points(i, 1) / 50 - 1, 2);
  const auto ka = kriging_fit({.kernel = Kernel::matern52})(space, a, 1),
             kb = kriging_fit({.kernel = Kernel::matern52})(space, b, 1);
  const Eigen::MatrixXd at = sample_region(space, 2000, Values::physical, 2, "single");
  double sink = 0;
  const double single = seconds_of([&] {
                          for (Eigen::Index i = 0; i < at.rows(); ++i)
                            for (const auto* k : {ka.get(), kb.get()})
                              sink += k->predict(at.row(i), {.variance = true}).model_variance(0, 0);
                        }) /
                        double(at.rows());
  SeekProblem problem;
  problem.space = space;
  problem.responses = [&](Points x) {
    Eigen::MatrixXd y(x.rows(), 2);
    y.col(0) = ka->predict(x).mean;
    y.col(1) = kb->predict(x).mean;
    return y;
  };
  problem.goals = {{.response = 0, .aim = Goal::Aim::maximise}, {.response = 1, .aim = Goal::Aim::minimise}};
  SeekResult found;
  const double seek_time = seconds_of([&] { found = seek(problem, {}, 1); });
  problem.goals[0].weight = 3;
  SeekOptions again;
  again.known = &found;
  const double again_time = seconds_of([&] { seek(problem, again, 1); });
  const double front_time = seconds_of([&] { front(problem, {.points = 200}, 1); });
  std::printf("single prediction of both: %.1f us\n", 1e6 * single);
  std::printf("seek with two goals:       %.0f ms, %.0f predictions (limit 5 000)\n", 1e3 * seek_time,
              seek_time / single);
  std::printf("weights changed:           %.0f ms, %.2f times (limit 0.1)\n", 1e3 * again_time,
              again_time / seek_time);
  std::printf("front of 200 points:       %.0f ms, %.0f predictions (limit 200 000)\n", 1e3 * front_time,
              front_time / single);
  return sink > 1e300;
}
