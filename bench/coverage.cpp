// How often what is stated holds: over many plans, the share of fresh runs inside their 95 % prediction
// intervals and of values of the function inside its 95 % confidence intervals, how many single studies fall
// below 80 %, and the interval score (T. Gneiting and A. E. Raftery, Journal of the American Statistical
// Association 102, 2007, equation 43) in standard deviations of the function.
#include <algorithm>
#include <atomic>
#include <cstdio>
#include <cstdlib>
#include <further_functions.hpp>
#include <map>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <thread>

using namespace renth;

namespace {

struct Case {
  std::string name;
  Space space;
  std::function<double(const Eigen::VectorXd&)> value;
  int runs;
};

/// Two numbers and a choice of three, which bends the surface in its own way.
Case mixed() {
  return {"mixed",
          Space({continuous("a", 0, 1), continuous("b", 0, 1), choice("c", {"red", "green", "blue"})}),
          [](const Eigen::VectorXd& x) {
            const double c = x[2];
            return std::sin(5 * x[0] + c) + (c == 1 ? 1.5 : 0.5) * x[1] * x[1] + 0.4 * c;
          },
          40};
}

struct Held {
  double prediction = 0, confidence = 0, score = 0;
  std::string kind;
};

Held study(const Case& c, double noise, Seed seed, const std::string& kind) {
  const auto data_of = [&](const Eigen::MatrixXd& points) {
    Data out{points, Eigen::MatrixXd(points.rows(), 1), {}, noise > 0};
    for (Eigen::Index i = 0; i < points.rows(); ++i)
      out.outputs(i, 0) = c.value(Eigen::VectorXd(points.row(i).transpose()));
    return out;
  };
  LatinHypercubeOptions options;
  options.runs = c.runs;
  options.criterion = LatinHypercubeOptions::Criterion::none;
  Data data = data_of(latin_hypercube(c.space, options, seed).points),
       fresh = data_of(sample_region(c.space, 500, Values::physical, seed, "fresh"));
  const Eigen::VectorXd truth = fresh.outputs.col(0);
  const double sd = std::sqrt((truth.array() - truth.mean()).square().mean());
  Stream stream(seed, "noise");
  for (Data* d : {&data, &fresh})
    for (double& y : d->outputs.reshaped())
      if (noise > 0) y += noise * sd * stream.normal();
  const FittedResponse fitted = fit_response(c.space, data, {.kind = kind, .seed = seed});
  const Prediction p = fitted.surrogate->predict(fresh.inputs, {.variance = true});
  const Intervals at = fitted.surrogate->intervals(p, 0.95);
  const Eigen::ArrayXd y = fresh.outputs.col(0).array(), low = at.prediction_low.col(0).array(),
                       high = at.prediction_high.col(0).array();
  Held out;
  out.prediction = ((y >= low) && (y <= high)).cast<double>().mean();
  out.confidence = ((truth.array() >= at.confidence_low.col(0).array()) &&
                    (truth.array() <= at.confidence_high.col(0).array()))
                       .cast<double>()
                       .mean();
  out.score = (high - low + 40 * (low - y).max(0) + 40 * (y - high).max(0)).mean() / sd;
  out.kind = fitted.surrogate->kind();
  return out;
}

}  // namespace

/// Use: bench-coverage [STUDIES [FIRST SEED [KIND, - for the best [PART OF A FUNCTION'S NAME]]]]
int main(int argc, char** argv) {
  const ParallelLimit limit;
  const int studies = argc > 1 ? std::atoi(argv[1]) : 100;
  const Seed first = argc > 2 ? Seed(std::atoi(argv[2])) : 1;
  const std::string named = argc > 3 ? argv[3] : "-", kind = named == "-" ? "" : named,
                    only = argc > 4 ? argv[4] : "";
  std::vector<Case> cases;
  for (const auto& [f, runs] : {std::pair(bench::branin(), 20), std::pair(bench::friedman(), 30),
                                std::pair(bench::otl_circuit(), 30)})
    cases.push_back({f.name, f.space(), f.value, runs});
  cases.push_back(mixed());
  std::printf("%-12s %5s %6s %11s %6s %9s %11s %15s  %s\n", "function", "runs", "noise", "prediction",
              "least", "below 80%", "confidence", "interval score", "kinds chosen");
  for (const Case& c : cases)
    for (const double noise : {0.0, 0.3}) {
      if (c.name.find(only) == std::string::npos) continue;
      std::vector<Held> held(static_cast<std::size_t>(studies));
      std::atomic<int> next{0};
      const auto loop = [&] {
        for (int k = next++; k < studies; k = next++)
          held[std::size_t(k)] = study(c, noise, first + Seed(k), kind);
      };
      std::thread other(loop);
      loop();
      other.join();
      double prediction = 0, confidence = 0, score = 0, least = 1;
      int below = 0;
      std::map<std::string, std::pair<int, double>> kinds;
      for (const Held& h : held) {
        prediction += h.prediction / studies;
        confidence += h.confidence / studies;
        score += h.score / studies;
        least = std::min(least, h.prediction);
        below += h.prediction < 0.8;
        ++kinds[h.kind].first;
        kinds[h.kind].second += h.prediction;
      }
      std::printf("%-12s %5d %6.1f %10.1f%% %5.0f%% %5d/%3d %10.1f%% %15.3f ", c.name.c_str(), c.runs, noise,
                  100 * prediction, 100 * least, below, studies, 100 * confidence, score);
      for (const auto& [name, of] : kinds)
        std::printf(" %d %s (%.0f%%);", of.first, name.c_str(), 100 * of.second / of.first);
      std::printf("\n");
      std::fflush(stdout);
    }
}
