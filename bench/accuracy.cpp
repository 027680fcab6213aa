// How well each kind of surrogate, and the one that is chosen, predicts published functions: RMSE on 2000
// fresh points over the standard deviation of the values there, median of five plain Latin hypercubes; how
// far the stated Q² is from the true one, and how many points lie in their 95 % intervals. Beside it what
// exact kriging reaches (anisotropic Matérn 5/2, maximum likelihood, ten starts), where that is known.
#include <algorithm>
#include <chrono>
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

struct Case {
  bench::TestFunction function;
  int runs;
  double kriging;  ///< median normalised RMSE of a carefully made one; NaN: not known
};

double median(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  return v.empty() ? NAN : v[v.size() / 2];
}

struct Score {
  std::vector<double> error, q2_gap, inside, seconds;
};

void add(Score& score, const FittedResponse& fitted, const Data& data, const Data& fresh) {
  const Prediction p = predict_in_blocks(*fitted.surrogate, fresh.inputs, {.variance = true}, parallel_for);
  const Intervals bounds = fitted.surrogate->intervals(p, 0.95);
  const Eigen::ArrayXd y = fresh.outputs.col(0).array();
  const double sse = (y - p.mean.col(0).array()).square().sum(), sst = (y - y.mean()).square().sum();
  score.error.push_back(std::sqrt(sse / sst));
  score.q2_gap.push_back(predictive_error(data, fitted.cv).q2 - (1 - sse / sst));
  score.inside.push_back(
      ((y >= bounds.prediction_low.col(0).array()) && (y <= bounds.prediction_high.col(0).array()))
          .cast<double>()
          .mean());
}

double mean(const std::vector<double>& v) {
  double sum = 0;
  for (const double x : v) sum += x;
  return v.empty() ? NAN : sum / double(v.size());
}

}  // namespace

/// Use: bench-accuracy [PART OF A FUNCTION'S NAME [FIRST SEED]]
int main(int argc, char** argv) {
  const ParallelLimit limit;
  const std::string only = argc > 1 ? argv[1] : "";
  const Seed first = argc > 2 ? Seed(std::atoi(argv[2])) : 1;
  const Case cases[] = {{bench::branin(), 20, 0.099},         {bench::branin(), 40, NAN},
                        {bench::hartmann(3), 30, 0.43},       {bench::hartmann(3), 60, NAN},
                        {bench::hartmann(6), 60, 0.75},       {bench::hartmann(6), 120, 0.53},
                        {bench::borehole(), 40, 0.033},       {bench::borehole(), 80, 0.013},
                        {bench::wing_weight(), 50, 0.044},    {bench::wing_weight(), 100, 0.015},
                        {bench::otl_circuit(), 30, 0.032},    {bench::otl_circuit(), 60, 0.013},
                        {bench::piston(), 40, 0.114},         {bench::piston(), 70, 0.065},
                        {bench::ishigami(), 60, 0.56},        {bench::ishigami(), 120, 0.32},
                        {bench::friedman(), 50, NAN},         {bench::friedman(), 100, 0.021},
                        {bench::franke(), 20, NAN},           {bench::franke(), 40, NAN},
                        {bench::currin(), 20, NAN},           {bench::currin(), 40, NAN},
                        {bench::two_spills(), 40, NAN},       {bench::two_spills(), 80, NAN},
                        {bench::sobol_g(), 50, NAN},          {bench::sobol_g(), 100, NAN},
                        {bench::dette_pepelyshev(), 60, NAN}, {bench::dette_pepelyshev(), 100, NAN}};
  std::vector<std::string> kinds;
  for (const SurrogateKind& k : surrogate_kinds()) kinds.push_back(k.name);
  kinds.push_back("blend");
  // One kriging without any choice: anisotropic Matérn 5/2 about a constant, multiplied over parameters or of
  // the distance.
  kinds.push_back("product");
  kinds.push_back("radial");
  std::printf("%-12s %5s %8s", "function", "runs", "known");
  for (const std::string& k : kinds) std::printf(" %10s", k.c_str());
  std::printf(" %8s %8s %9s %8s %8s  %s\n", "chosen", "regret", "Q2 - true", "inside", "seconds",
              "kinds chosen");
  for (const Case& c : cases) {
    if (c.function.name.find(only) == std::string::npos) continue;
    const Space space = c.function.space();
    std::map<std::string, Score> scores;
    std::map<std::string, int> chosen_kinds;
    std::vector<double> regret;
    for (Seed seed = first; seed < first + 5; ++seed) {
      LatinHypercubeOptions options;
      options.runs = c.runs;
      options.criterion = LatinHypercubeOptions::Criterion::none;
      const Data data = runs_of(c.function, latin_hypercube(space, options, seed).points);
      const Data fresh = runs_of(c.function, sample_region(space, 2000, Values::physical, seed, "accuracy"));
      const auto start = std::chrono::steady_clock::now();
      const FittedResponse chosen = fit_response(space, data, "", {}, seed);
      scores["chosen"].seconds.push_back(
          std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
      add(scores["chosen"], chosen, data, fresh);
      std::string name(chosen.surrogate->kind());
      for (const Tried& t : chosen.tried)
        if (chosen.why.rfind(t.kind + " (" + t.settings, 0) == 0) name = t.kind + ":" + t.settings;
      if (name.rfind("blend", 0) == 0) name = "blend";
      ++chosen_kinds[name];
      double best = INFINITY;
      for (const std::string& k : kinds) {
        try {
          FitRequest request;
          ChoosingOptions choosing;
          const bool plain = k == "product" || k == "radial";
          if (plain) {
            request.kernel = k == "product" ? Kernel::product52 : Kernel::matern52;
            request.trend = "constant";
            choosing.drop_parameters = false;
          }
          add(scores[k], fit_response(space, data, plain ? "kriging" : k, request, seed, {}, choosing), data,
              fresh);
          if (!plain) best = std::min(best, scores[k].error.back());
        } catch (const Error&) {
          // too few runs for this kind
        }
      }
      regret.push_back(scores["chosen"].error.back() / best - 1);
    }
    std::printf("%-12s %5d %8.3f", c.function.name.c_str(), c.runs, c.kriging);
    for (const std::string& k : kinds) std::printf(" %10.4f", median(scores[k].error));
    const Score& chosen = scores["chosen"];
    std::printf(" %8.4f %7.0f%% %9.3f %7.0f%% %8.1f ", median(chosen.error), 100 * median(regret),
                mean(chosen.q2_gap), 100 * mean(chosen.inside), mean(chosen.seconds));
    for (const auto& [name, count] : chosen_kinds) std::printf(" %d×%s;", count, name.c_str());
    std::printf("\n");
    std::fflush(stdout);
  }
}
