// Optimal plans on a mixed grid of 7 776 candidates against 30 000 dpotrf of 16 × 16 a run count and restart,
// and how cost grows with a list of candidates.
#include <Eigen/Cholesky>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/space/region.hpp>

extern "C" void dpotrf_(const char*, const int*, double*, const int*, int*);

namespace {
using namespace renth;
double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}
Parameter levels(const std::string& name, int count) {
  std::vector<double> values;
  for (int i = 0; i < count; ++i) values.push_back(-1 + 2.0 * i / (count - 1));
  return renth::levels(name, values);
}
double factorisations() {
  Eigen::MatrixXd a = Eigen::MatrixXd::Random(16, 16), b;
  a = Eigen::MatrixXd(a * a.transpose() + 16 * Eigen::MatrixXd::Identity(16, 16));
  const double begin = now();
  for (int i = 0; i < 30'000; ++i) {
    b = a;
    const int n = 16;
    int info = 0;
    dpotrf_("L", &n, b.data(), &n, &info);
  }
  return now() - begin;
}
}  // namespace

int main() {
  const ParallelLimit limit;
  std::vector<Parameter> parameters;
  for (int j = 0; j < 5; ++j) parameters.push_back(levels("a" + std::to_string(j), 2));
  for (int j = 0; j < 4; ++j) parameters.push_back(levels("b" + std::to_string(j), 3));
  parameters.push_back(choice("c", {"x", "y", "z"}));
  const Space space(parameters);
  OptimalOptions options;
  options.terms = parse_terms(space, "linear + b0^2 + b1^2 + b2^2 + b3^2");
  std::printf("%5s %12s %10s %10s %8s\n", "runs", "D-efficiency", "ms/start", "dpotrf ms", "ratio");
  double ours = 0, theirs = 0;
  for (int n = 16; n <= 40; ++n) {
    options.runs = n;
    const double unit = factorisations(), begin = now();
    const Plan plan = optimal(space, options, 1);
    const double each = (now() - begin) / options.restarts;
    const Eigen::MatrixXd x = model_matrix(space, options.terms, plan.points);
    const double log_det =
        2 *
        Eigen::MatrixXd(Eigen::MatrixXd(x.transpose() * x).llt().matrixL()).diagonal().array().log().sum();
    ours += each, theirs += unit;
    std::printf("%5d %12.5f %10.2f %10.2f %8.2f\n", n, std::exp(log_det / 16) / n, each * 1e3, unit * 1e3,
                each / unit);
  }
  std::printf("whole sweep: %.2f of 30 000 dpotrf a run count and restart\n", ours / theirs);

  std::vector<Parameter> six(6);
  for (int j = 0; j < 6; ++j) {
    six[std::size_t(j)].name = "x" + std::to_string(j);
    six[std::size_t(j)].low = -1;
  }
  const Space box(six);
  OptimalOptions listed;
  listed.terms = parse_terms(box, "quadratic");
  listed.runs = 40;
  listed.restarts = 2;
  double before = 0;
  for (const int m : {25'000, 50'000, 100'000, 200'000}) {
    listed.candidates = sample_region(box, m, Values::physical, 1, "candidates");
    const double begin = now();
    optimal(box, listed, 1);
    const double seconds = now() - begin;
    std::printf("%7d candidates, 28 terms, 40 runs: %.2f s%s\n", m, seconds,
                before > 0 ? (", " + std::to_string(seconds / before).substr(0, 4) + " times").c_str() : "");
    before = seconds;
  }
}
