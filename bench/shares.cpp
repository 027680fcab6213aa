// How honest the intervals of variance shares are: plain Latin hypercubes of published functions whose shares
// are known, the choice fitted, its parameters ranked; how many intervals hold the true share, and how wide
// they are beside those of a bootstrap that fits again: runs drawn with replacement, what was chosen fitted
// to them, and the shares' quantiles at 2.5 % and 97.5 % taken.
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <functions.hpp>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/quality/quality.hpp>
#include <renth/selection/choose.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/surrogate/data.hpp>

using namespace renth;

namespace {

struct Known {
  bench::TestFunction function;
  std::vector<double> shares;  ///< first-order, of the function without noise
  double noise = 0;            ///< standard deviation
};

/// I. M. Sobol', 1990s: Π (|4x − 2| + a)/(1 + a), with first-order shares 1/3/(1 + a)² over Π(1 + …) − 1.
Known g_function(const std::vector<double>& a) {
  Known out{{"g-function", std::vector<std::pair<double, double>>(a.size(), {0, 1}),
             [a](const Eigen::VectorXd& x) {
               double y = 1;
               for (std::size_t j = 0; j < a.size(); ++j)
                 y *= (std::abs(4 * x[Eigen::Index(j)] - 2) + a[j]) / (1 + a[j]);
               return y;
             }},
            {}};
  double all = 1;
  for (const double v : a) all *= 1 + 1 / (3 * (1 + v) * (1 + v));
  for (const double v : a) out.shares.push_back(1 / (3 * (1 + v) * (1 + v)) / (all - 1));
  return out;
}

/// Σ c_j √12 (x_j − ½): shares c_j²/Σc².
Known additive(const std::vector<double>& c, double noise) {
  Known out{{"additive", std::vector<std::pair<double, double>>(c.size(), {0, 1}),
             [c](const Eigen::VectorXd& x) {
               double y = 0;
               for (std::size_t j = 0; j < c.size(); ++j)
                 y += c[j] * std::sqrt(12.0) * (x[Eigen::Index(j)] - 0.5);
               return y;
             }},
            {},
            noise};
  double all = 0;
  for (const double v : c) all += v * v;
  for (const double v : c) out.shares.push_back(v * v / all);
  return out;
}

Known ishigami() {
  Known out{bench::ishigami(), {}};
  const double a = 7, b = 0.1, p4 = std::pow(bench::pi, 4);
  const double one = 0.5 * std::pow(1 + b * p4 / 5, 2), two = a * a / 8, pair = 8 * b * b * p4 * p4 / 225;
  for (const double v : {one, two, 0.0}) out.shares.push_back(v / (one + two + pair));
  return out;
}

/// Widths of the bootstrap's intervals, and whether they hold the true shares.
void bootstrap(const Known& k, const Space& space, const Data& data, const FittedResponse& fitted, Seed seed,
               std::vector<std::vector<double>>& widths, std::vector<int>& inside) {
  constexpr int draws = 60;
  const Fit again = fit_as_chosen(space, data, fitted.tried, fitted.settings, {}, *fitted.surrogate);
  std::vector<std::vector<double>> shares(k.shares.size());
  Stream stream(seed, "bootstrap");
  for (int b = 0; b < draws; ++b) {
    std::vector<Eigen::Index> rows;
    for (Eigen::Index i = 0; i < data.size(); ++i)
      rows.push_back(std::min(data.size() - 1, Eigen::Index(stream.uniform() * double(data.size()))));
    const Data drawn{data.inputs(rows, Eigen::all), data.outputs(rows, Eigen::all), {}, data.noisy};
    std::unique_ptr<const Surrogate> surrogate;
    try {
      surrogate = again(space, drawn, seed);
    } catch (const Error&) {
      continue;  // too few different runs for what was chosen
    }
    const std::vector<VarianceShares> of =
        sobol_indices(space, {[&](Points x) { return surrogate->predict(x).mean; }}, 1024, seed, b);
    for (std::size_t j = 0; j < shares.size(); ++j) shares[j].push_back(of[0].parameters[j].first);
  }
  for (std::size_t j = 0; j < shares.size(); ++j) {
    if (shares[j].empty()) continue;
    std::sort(shares[j].begin(), shares[j].end());
    const auto at = [&](double level) {
      const double place = level * double(shares[j].size() - 1);
      const auto below = std::size_t(place);
      const auto above = std::min(below + 1, shares[j].size() - 1);
      return shares[j][below] + (place - double(below)) * (shares[j][above] - shares[j][below]);
    };
    widths[j].push_back(at(0.975) - at(0.025));
    inside[j] += at(0.025) <= k.shares[j] && at(0.975) >= k.shares[j];
  }
}

double median(std::vector<double> values) {
  if (values.empty()) return NAN;
  std::sort(values.begin(), values.end());
  return values[values.size() / 2];
}

}  // namespace

/// Use: bench-shares [PLANS [RUNS [PLANS WITH A BOOTSTRAP]]]
int main(int argc, char** argv) {
  const ParallelLimit limit;
  const int plans = argc > 1 ? std::atoi(argv[1]) : 200, runs = argc > 2 ? std::atoi(argv[2]) : 40,
            drawn = argc > 3 ? std::atoi(argv[3]) : 20;
  std::printf("%-12s %-5s %7s %9s %9s %9s %7s %18s %7s\n", "function", "", "true", "inside", "median",
              "width", "Q2", "bootstrap's width", "inside");
  for (const Known& k : {g_function({0, 1, 4.5, 9, 99}), additive({1, 0.7, 0.4, 0.2, 0}, 0.5), ishigami()}) {
    const Space space = k.function.space();
    const auto d = k.shares.size();
    std::vector<int> inside(d, 0);
    std::vector<std::vector<double>> widths(d), found(d), refitted(d);
    std::vector<int> held(d, 0);
    double q2 = 0;
    for (int seed = 1; seed <= plans; ++seed) {
      Data data = bench::runs_of(k.function, latin_hypercube(space, {.runs = runs}, Seed(seed)).points);
      Stream stream{Seed(seed), "noise"};
      data.noisy = k.noise > 0;
      if (data.noisy)
        for (double& y : data.outputs.reshaped()) y += k.noise * stream.normal();
      const FittedResponse fitted =
          fit_response(space, data, {.choosing = {.repeats = 1}, .seed = Seed(seed)});
      RankOptions options;
      options.samples = 512;
      tell_what_is_missed(*fitted.surrogate, data, predictive_error(data, fitted.cv).q2, options);
      options.left_out = fitted.idle;
      options.all_folds = int(fitted.cv.models.size());
      std::vector<Evaluate> folds;
      for (int f = 0; f < std::min(20, options.all_folds); ++f) {
        const Surrogate* model =
            fitted.cv.models[std::size_t(f * options.all_folds / std::min(20, options.all_folds))].get();
        folds.push_back([model](Points x) { return model->predict(x).mean; });
      }
      const Ranking ranking = rank_parameters(
          space, [&](Points x) { return fitted.surrogate->predict(x).mean; }, folds, options, Seed(seed));
      for (const RankedParameter& p : ranking.parameters) {
        const auto j = std::size_t(p.parameter);
        inside[j] += p.low <= k.shares[j] + 1e-12 && p.high >= k.shares[j] - 1e-12;
        widths[j].push_back(p.high - p.low);
        found[j].push_back(p.share);
      }
      q2 += predictive_error(data, fitted.cv).q2 / plans;
      if (seed <= drawn) bootstrap(k, space, data, fitted, Seed(seed), refitted, held);
    }
    for (std::size_t j = 0; j < d; ++j)
      std::printf("%-12s x%-4zu %7.4f %8.1f%% %9.4f %9.4f %7.3f %18.4f %6.1f%%\n", k.function.name.c_str(),
                  j + 1, k.shares[j], 100.0 * inside[j] / plans, median(found[j]), median(widths[j]), q2,
                  median(refitted[j]), 100.0 * held[j] / std::max<double>(1, double(refitted[j].size())));
    std::fflush(stdout);
  }
}
