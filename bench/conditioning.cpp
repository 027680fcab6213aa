// How many digits a kriging loses to weights that cancel, Σ|w|·ε over the spread of the runs, and how well it
// predicts, by the trend that it varies about. Plain Latin hypercubes, three plans, exact runs.
#include <cstdio>
#include <functions.hpp>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/kriging.hpp>
using namespace renth;
int main() {
  const ParallelLimit limit(1);
  for (auto [f, n] :
       {std::pair(bench::branin(), 60), std::pair(bench::branin(), 120), std::pair(bench::otl_circuit(), 120),
        std::pair(bench::borehole(), 160), std::pair(bench::ishigami(), 120)})
    for (const char* trend : {"1", "linear", "quadratic", "cubic"}) {
      double worst = 0, error = 0;
      int k = 0;
      const char* kernel = "";
      for (Seed seed = 1; seed <= 3; ++seed) try {
          const Space space = f.space();
          const Data data = bench::runs_of(
              f,
              latin_hypercube(space, {.runs = n, .criterion = LatinHypercubeOptions::Criterion::none}, seed)
                  .points);
          const Data fresh = bench::runs_of(f, sample_region(space, 1000, Values::physical, seed, "fresh"));
          const auto s = kriging_fit({.trend = trend})(space, data, seed);
          const auto* kr = dynamic_cast<const Kriging*>(s.get());
          const Eigen::VectorXd y = fresh.outputs.col(0);
          const double spread = data.outputs.maxCoeff() - data.outputs.minCoeff();
          worst = std::max(
              worst, kr->state().weights.cwiseAbs().sum() * std::numeric_limits<double>::epsilon() / spread);
          error += std::log((s->predict(fresh.inputs).mean.col(0) - y).norm() /
                            (y.array() - y.mean()).matrix().norm());
          kernel = name(kr->state().kernel).data();
          ++k;
        } catch (const Error&) {  // fewer runs than terms
        }
      if (k == 0) continue;
      std::printf("%-12s %3d %-10s %-16s rounding %.1e of the spread, error %.2e\n", f.name.c_str(), n, trend,
                  kernel, worst, std::exp(error / k));
    }
}
