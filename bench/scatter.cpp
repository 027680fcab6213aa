// How honest the stated Q² is where runs scatter: published functions with normal noise on every run, plain
// Latin hypercubes; the Q² that is stated against the true one on 2000 fresh runs with the same noise, for
// the choice and for each kind on its own. Mean over the plans; beside the gap its standard error.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <functions.hpp>
#include <map>
#include <renth/base/error.hpp>
#include <renth/fit/methods.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>

using namespace renth;

namespace {

/// Noise of standard deviation `sd` on every run.
Data scattered(const bench::TestFunction& f, const Eigen::MatrixXd& points, double sd, Stream stream) {
  Data data = bench::runs_of(f, points);
  data.noisy = true;
  for (double& y : data.outputs.reshaped()) y += sd * stream.normal();
  return data;
}

struct Gap {
  double stated = 0, truth = 0, sum = 0, square = 0;
  int count = 0;
  void add(double said, double is) {
    stated += said;
    truth += is;
    sum += said - is;
    square += (said - is) * (said - is);
    ++count;
  }
};

}  // namespace

/// Use: bench-scatter [PART OF A FUNCTION'S NAME [PLANS [RUNS [kinds]]]]
int main(int argc, char** argv) {
  const ParallelLimit limit;
  const std::string only = argc > 1 ? argv[1] : "";
  const int plans = argc > 2 ? std::atoi(argv[2]) : 30, one_size = argc > 3 ? std::atoi(argv[3]) : 0;
  std::vector<std::string> kinds = {""};
  if (argc > 4)
    for (const SurrogateKind& k : surrogate_kinds()) kinds.push_back(k.name);
  const bench::TestFunction functions[] = {bench::branin(), bench::ishigami(), bench::otl_circuit(),
                                           bench::friedman()};
  std::printf("%-12s %5s %7s  %-10s %7s %7s %14s %8s\n", "function", "runs", "signal", "kind", "stated",
              "true", "gap", "seconds");
  for (const auto& f : functions) {
    if (f.name.find(only) == std::string::npos) continue;
    const Space space = f.space();
    const Eigen::MatrixXd sample = sample_region(space, 2000, Values::physical, 77, "scale");
    const Eigen::ArrayXd clean = bench::runs_of(f, sample).outputs.col(0).array();
    const double sd_signal = std::sqrt((clean - clean.mean()).square().mean());
    for (const double signal : {1.3, 9.0})  // variance of the signal over that of the noise
      for (const int runs : {15, 30, 60}) {
        if (one_size > 0 && runs != one_size) continue;
        std::map<std::string, Gap> gaps;
        std::map<std::string, double> seconds;
        const double sd = sd_signal / std::sqrt(signal);
        for (Seed seed = 1; seed <= Seed(plans); ++seed) {
          LatinHypercubeOptions options;
          options.runs = runs;
          options.criterion = LatinHypercubeOptions::Criterion::none;
          const Data data =
              scattered(f, latin_hypercube(space, options, seed).points, sd, Stream(seed, "noise"));
          const Data fresh = scattered(f, sample_region(space, 2000, Values::physical, seed, "fresh"), sd,
                                       Stream(seed, "fresh noise"));
          const Eigen::ArrayXd y = fresh.outputs.col(0).array();
          for (const std::string& kind : kinds) {
            try {
              const auto start = std::chrono::steady_clock::now();
              const FittedResponse fitted = fit_response(space, data, {.kind = kind, .seed = seed});
              seconds[kind] +=
                  std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
              const Eigen::ArrayXd mean =
                  predict_in_blocks(*fitted.surrogate, fresh.inputs, {}, parallel_for).mean.col(0).array();
              gaps[kind].add(predictive_error(data, fitted.cv).q2,
                             1 - (y - mean).square().sum() / (y - y.mean()).square().sum());
            } catch (const Error&) {
              // too few runs for this kind
            }
          }
        }
        for (const auto& [kind, g] : gaps) {
          const double n = g.count, mean = g.sum / n;
          std::printf("%-12s %5d %7.1f  %-10s %7.3f %7.3f %6.3f ± %5.3f %8.2f\n", f.name.c_str(), runs,
                      signal, kind.empty() ? "chosen" : kind.c_str(), g.stated / n, g.truth / n, mean,
                      std::sqrt(std::max(0.0, g.square / n - mean * mean) / n), seconds[kind] / n);
          std::fflush(stdout);
        }
      }
  }
}
