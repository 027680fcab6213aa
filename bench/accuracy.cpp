// How well the surrogate that is chosen predicts published functions, beside a carefully scripted kriging
// (anisotropic Matérn 5/2 about a constant, maximum likelihood, ten starts, no prior): plain Latin hypercubes
// of three sizes, fresh points beside them. Ratios of errors, and proper scores of what is stated.
#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <further_functions.hpp>
#include <map>
#include <renth/base/error.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <thread>

using namespace renth;

namespace {

struct Score {
  double error = 0;  ///< RMSE over the standard deviation of the values
  double log_score =
      0;  ///< −ln of the density, of a two-piece normal through the bounds at 68 %; in units of it
  double ranked = 0;    ///< continuous ranked probability score, over the same
  double interval = 0;  ///< interval score at 95 % (T. Gneiting and A. E. Raftery, JASA 102, 2007), likewise
  double inside = 0;    ///< share of fresh points in their 95 % intervals
};

double mean(const std::vector<double>& v) {
  double sum = 0;
  for (const double x : v) sum += x;
  return v.empty() ? NAN : sum / double(v.size());
}

Score score_of(const Surrogate& surrogate, const Data& fresh) {
  const Prediction p = predict_in_blocks(surrogate, fresh.inputs, {.variance = true});
  const Eigen::ArrayXd y = fresh.outputs.col(0).array(), m = p.mean.col(0).array();
  const double sd = std::sqrt((y - y.mean()).square().mean());
  Score out;
  out.error = std::sqrt((y - m).square().mean()) / sd;
  const Intervals one = surrogate.intervals(p, 0.6827), most = surrogate.intervals(p, 0.95);
  const Eigen::Index n = y.size();
  for (Eigen::Index i = 0; i < n; ++i) {
    const double below = std::max(1e-12, (m[i] - one.prediction_low(i, 0)) / sd),
                 above = std::max(1e-12, (one.prediction_high(i, 0) - m[i]) / sd), z = (y[i] - m[i]) / sd;
    out.log_score += (std::log((below + above) / 2) + 0.5 * std::log(2 * bench::pi) +
                      0.5 * std::pow(z / (z < 0 ? below : above), 2)) /
                     double(n);
  }
  const Eigen::ArrayXd low = most.prediction_low.col(0).array(), high = most.prediction_high.col(0).array();
  out.inside = ((y >= low) && (y <= high)).cast<double>().mean();
  out.interval = (high - low + 40 * (low - y).max(0) + 40 * (y - high).max(0)).mean() / sd;
  // Twice the mean pinball loss over quantiles in the middle of twenty parts.
  const auto pinball = [&](double level, const Eigen::ArrayXd& quantile) {
    return (level * (y - quantile).max(0) + (1 - level) * (quantile - y).max(0)).mean() / sd;
  };
  for (int k = 0; k < 10; ++k) {
    const double tail = (k + 0.5) / 20;
    const Intervals at = surrogate.intervals(p, 1 - 2 * tail);
    out.ranked += 2 *
                  (pinball(tail, at.prediction_low.col(0).array()) +
                   pinball(1 - tail, at.prediction_high.col(0).array())) /
                  20;
  }
  return out;
}

struct Job {
  bench::TestFunction function;
  int runs;
  Seed seed;
  Score reference, kriging, chosen;
  std::string kind;
  double seconds = 0, q2_gap = 0;
};

Data noisy(Data data, double noise, double sd, Seed seed) {
  if (!(noise > 0)) return data;
  Stream stream(seed, "noise");
  for (double& y : data.outputs.reshaped()) y += noise * sd * stream.normal();
  data.noisy = true;
  return data;
}

void work(Job& job, double noise) {
  const Space space = job.function.space();
  LatinHypercubeOptions options;
  options.runs = job.runs;
  options.criterion = LatinHypercubeOptions::Criterion::none;
  Data fresh = runs_of(job.function, sample_region(space, 1000, Values::physical, job.seed, "accuracy"));
  const double sd = std::sqrt((fresh.outputs.array() - fresh.outputs.mean()).square().mean());
  const Data data =
      noisy(runs_of(job.function, latin_hypercube(space, options, job.seed).points), noise, sd, job.seed);
  // Stated intervals are of one more run; errors are of the function itself, which noise would drown.
  KrigingOptions plain;
  plain.kernel = Kernel::matern52;
  plain.prior = false;
  plain.starts = 10;
  plain.nugget = noise > 0 ? KrigingOptions::Nugget::estimated : KrigingOptions::Nugget::none;
  const auto both = [&](const Surrogate& s) {
    Score out = score_of(s, noisy(fresh, noise, sd, job.seed + 1));
    if (noise > 0) out.error = score_of(s, fresh).error;
    return out;
  };
  job.reference = both(*kriging_fit(plain)(space, data, job.seed));
  job.kriging = both(*fit_response(space, data, {.kind = "kriging", .seed = job.seed}).surrogate);
  const auto start = std::chrono::steady_clock::now();
  const FittedResponse chosen = fit_response(space, data, {.seed = job.seed});
  job.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  job.chosen = both(*chosen.surrogate);
  job.q2_gap = predictive_error(data, chosen.cv).q2 - (1 - std::pow(job.chosen.error, 2));
  job.kind = std::string(chosen.surrogate->kind());
  for (const Tried& t : chosen.tried)
    if (chosen.why.rfind(t.kind + " (" + t.settings, 0) == 0) job.kind = t.kind + ": " + t.settings;
  if (job.kind.rfind("blend", 0) == 0) job.kind = "blend";
}

}  // namespace

/// Use: bench-accuracy [SEEDS [FIRST SEED [NOISE, in standard deviations [PART OF A FUNCTION'S NAME]]]]
int main(int argc, char** argv) {
  const ParallelLimit limit;
  const int seeds = argc > 1 ? std::atoi(argv[1]) : 10;
  const Seed first = argc > 2 ? Seed(std::atoi(argv[2])) : 1;
  const double noise = argc > 3 ? std::atof(argv[3]) : 0;
  const std::string only = argc > 4 ? argv[4] : "";
  std::vector<Job> jobs;
  for (const bench::TestFunction& f : bench::all_functions()) {
    if (f.name.find(only) == std::string::npos) continue;
    const int d = int(f.ranges.size());
    for (const int runs :
         {std::clamp(5 * d, 15, 60), std::clamp(10 * d, 30, 100), std::clamp(20 * d, 60, 160)})
      for (Seed seed = first; seed < first + Seed(seeds); ++seed)
        jobs.push_back({f, runs, seed, {}, {}, {}, {}});
  }
  std::atomic<std::size_t> next{0};
  const auto loop = [&] {
    for (std::size_t k = next++; k < jobs.size(); k = next++) try {
        work(jobs[k], noise);
      } catch (const Error& error) {
        std::fprintf(stderr, "%s: %s\n", jobs[k].function.name.c_str(), error.what());
        jobs[k].chosen.error = NAN;
      }
  };
  std::thread other(loop);
  loop();
  other.join();
  std::printf("%-16s %4s %9s %8s %8s %7s %6s %7s %7s %7s %7s %7s %6s %7s %8s  %s\n", "function", "runs",
              "reference", "kriging", "chosen", "worst", "inside", "(ref)", "log", "(ref)", "ranked",
              "interv.", "least", "seconds", "Q2-true", "kinds chosen");
  std::vector<double> all, without, scores[3], kriging;
  std::map<std::string, std::vector<double>> by_function;
  for (std::size_t k = 0; k < jobs.size(); k += std::size_t(seeds)) {
    std::vector<double> reference, ratio, own, inside, seconds, gap, log_score, ref_log, ref_inside, ranked,
        interval;
    std::map<std::string, int> kinds;
    for (std::size_t j = k; j < k + std::size_t(seeds); ++j) {
      const Job& job = jobs[j];
      if (std::isnan(job.chosen.error)) continue;
      reference.push_back(std::log(job.reference.error));
      ratio.push_back(std::log(job.chosen.error / job.reference.error));
      own.push_back(std::log(job.kriging.error / job.reference.error));
      log_score.push_back(job.chosen.log_score);
      ref_log.push_back(job.reference.log_score);
      ranked.push_back(std::log(job.chosen.ranked / job.reference.ranked));
      interval.push_back(std::log(job.chosen.interval / job.reference.interval));
      inside.push_back(job.chosen.inside);
      ref_inside.push_back(job.reference.inside);
      seconds.push_back(job.seconds);
      gap.push_back(job.q2_gap);
      ++kinds[job.kind];
    }
    if (ratio.empty()) continue;
    all.insert(all.end(), ratio.begin(), ratio.end());
    kriging.insert(kriging.end(), own.begin(), own.end());
    for (const double r : ratio) by_function[jobs[k].function.name].push_back(r);
    if (jobs[k].function.name != "Ishigami") without.insert(without.end(), ratio.begin(), ratio.end());
    scores[0].push_back(mean(log_score) - mean(ref_log));
    scores[1].insert(scores[1].end(), ranked.begin(), ranked.end());
    scores[2].insert(scores[2].end(), interval.begin(), interval.end());
    std::printf(
        "%-16s %4d %9.4f %8.3f %8.3f %7.3f %5.1f%% %6.1f%% %7.2f %7.2f %7.3f %7.3f %5.0f%% %7.2f %8.3f ",
        jobs[k].function.name.c_str(), jobs[k].runs, std::exp(mean(reference)), std::exp(mean(own)),
        std::exp(mean(ratio)), std::exp(*std::max_element(ratio.begin(), ratio.end())), 100 * mean(inside),
        100 * mean(ref_inside), mean(log_score), mean(ref_log), std::exp(mean(ranked)),
        std::exp(mean(interval)), 100 * *std::min_element(inside.begin(), inside.end()), mean(seconds),
        mean(gap));
    for (const auto& [name, count] : kinds) std::printf(" %d x %s;", count, name.c_str());
    std::printf("\n");
  }
  std::sort(all.begin(), all.end());
  std::printf(
      "geometric mean %.3f, without Ishigami %.3f, kriging alone %.3f; 95th percentile of single ratios "
      "%.3f, worst %.3f; log score "
      "%+.2f, ranked %.3f, interval score %.3f times the reference's\n",
      std::exp(mean(all)), std::exp(mean(without)), std::exp(mean(kriging)),
      std::exp(all[std::size_t(0.95 * double(all.size() - 1))]), std::exp(all.back()), mean(scores[0]),
      std::exp(mean(scores[1])), std::exp(mean(scores[2])));
  std::printf("by function:");
  for (const auto& [name, ratios] : by_function)
    std::printf(" %s %.2f;", name.c_str(), std::exp(mean(ratios)));
  std::printf("\n");
}
