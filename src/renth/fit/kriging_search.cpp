#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/fit/kriging_search.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>

namespace renth {
namespace {

/// Points to look at: equal lengths from short to long, then random ones.
std::vector<Eigen::VectorXd> screening_points(int lengths, bool nugget, int count, Seed seed) {
  std::vector<Eigen::VectorXd> out;
  Stream stream(seed, "kriging starts");
  const int equal = std::min(6, count);
  for (int i = 0; i < count; ++i) {
    Eigen::VectorXd t(lengths + nugget);
    for (Eigen::Index j = 0; j < lengths; ++j)
      t[j] = i < equal ? std::log(0.15) + i * std::log(20.0) / std::max(1, equal - 1)
                       : std::log(0.1) + stream.uniform() * std::log(100.0);
    if (nugget) t[lengths] = std::log(1e-6) + (i % 3) * std::log(300.0);
    out.push_back(std::move(t));
  }
  return out;
}

Descent minimise(KrigingObjective& objective, bool nugget, const KrigingOptions& options, Seed seed) {
  const int lengths = objective.problem().lengths();
  if (options.warm_start.size() == static_cast<std::size_t>(lengths + nugget)) {
    const auto start = Eigen::Map<const Eigen::VectorXd>(options.warm_start.data(), lengths + nugget);
    if (options.keep_lengths) return {start, objective(start, nullptr)};
    return descend(objective, start, options.evaluations);
  }
  std::vector<Descent> looked;
  for (const Eigen::VectorXd& t : screening_points(lengths, nugget, options.screening, seed))
    looked.push_back({t, objective(t, nullptr)});
  std::stable_sort(looked.begin(), looked.end(),
                   [](const Descent& a, const Descent& b) { return a.value < b.value; });
  Descent best;
  for (int s = 0; s < options.starts && s < static_cast<int>(looked.size()); ++s) {
    const Descent found = descend(objective, looked[s].at, options.evaluations);
    if (found.value < best.value) best = found;
  }
  return best;
}

bool replicates_differ(const Data& data) {
  const std::vector<int> group = replicate_groups(data);
  std::vector<double> first(group.size(), std::numeric_limits<double>::quiet_NaN());
  for (std::size_t i = 0; i < group.size(); ++i) {
    double& known = first[group[i]];
    if (std::isnan(known)) known = data.outputs(Eigen::Index(i), 0);
    if (known != data.outputs(Eigen::Index(i), 0)) return true;
  }
  return false;
}

/// The noise variance that the options give, in the response's unit.
double noise_of(const Data& data, const KrigingOptions& options) {
  if (options.nugget == KrigingOptions::Nugget::fixed) return options.noise_variance;
  const PureError pure = pure_error(data, data.outputs.col(0), Eigen::VectorXd::Ones(data.size()));
  if (pure.df == 0)
    throw Error("no run is repeated, so replicates say nothing about the noise", "fit kriging",
                "repeat some runs, or let the nugget be estimated");
  return pure.ss / pure.df;
}

/// A noise variance that is known is a share of a σ² that is not: found in turns.
Descent minimise_with_noise(KrigingObjective& objective, double noise, const KrigingOptions& options,
                            Seed seed) {
  KrigingOptions turn = options;
  objective.set_nugget(noise);  // of outputs with variance 1
  Descent best;
  for (int round = 0; round < 5; ++round) {
    best = minimise(objective, false, turn, seed);
    if (!std::isfinite(best.value)) return best;
    objective(best.at, nullptr);
    objective.set_nugget(noise / std::max(objective.sigma2(), 1e-12));
    turn.warm_start.assign(best.at.data(), best.at.data() + best.at.size());
  }
  return best;
}

/// Where the search on a part of the runs ended.
std::vector<double> start_on_part(const Space& space, const Data& data, KrigingOptions options, Seed seed) {
  const Data part = part_of(data, options.part, seed);
  options.part = std::numeric_limits<int>::max();
  options.draws = 0;
  return likeliest_process(*kriging_fit(options)(space, part, seed))->warm_start();
}

/// Without a nugget if that will do; with one if that is clearly likelier. \param nugget  is set then.
Descent minimise_with_nugget_if_needed(KrigingObjective& objective, const KrigingOptions& options, Seed seed,
                                       bool& nugget) {
  const int lengths = objective.problem().lengths();
  const Descent best = minimise(objective, nugget, options, seed);
  if (nugget || options.nugget != KrigingOptions::Nugget::when_needed || !options.warm_start.empty())
    return best;
  Eigen::VectorXd start(lengths + 1);
  if (std::isfinite(best.value))
    start << best.at, std::log(1e-3);
  else
    start << Eigen::VectorXd::Constant(lengths, std::log(0.7)), std::log(1e-3);
  const Descent with = descend(objective, start, options.evaluations);
  if (!(with.value < best.value - 2)) return best;
  nugget = true;
  return with;
}

}  // namespace

Error stays_singular() {
  return Error("the correlation matrix stays singular", "fit kriging",
               "allow a nugget, or remove near-duplicate runs");
}

Descent descend(KrigingObjective& objective, const Eigen::VectorXd& start, std::vector<int>* evaluations) {
  const int before = objective.evaluations(), lengths = objective.problem().lengths();
  const bool nugget = start.size() > lengths;
  const Descent found = renth::descend(
      [&](const Eigen::VectorXd& t, Eigen::VectorXd* gradient) { return objective(t, gradient); }, start,
      least_logs(lengths, nugget), most_logs(lengths, nugget), {.step_tolerance = 1e-4});
  if (evaluations) evaluations->push_back(objective.evaluations() - before);
  return found;
}

double left_out_scale(KrigingObjective& objective, const Eigen::VectorXd& at) {
  const double n = double(objective.problem().y.size()), p = double(objective.problem().trend.cols());
  Eigen::VectorXd error, variance;
  objective.left_out(at, error, variance);
  return std::max(1.0,
                  (error.array().square() / variance.array()).mean() / (objective.sigma2() * n / (n - p)));
}

Data part_of(const Data& data, int count, Seed seed) {
  std::vector<Eigen::Index> rows;
  const std::vector<int> order = Stream(seed, "kriging part").permutation(int(data.size()));
  for (int i = 0; i < count; ++i) rows.push_back(order[i]);
  std::sort(rows.begin(), rows.end());
  return data.rows(rows);
}

KrigingProblem kriging_problem(const Space& space, const Data& data, const Eigen::VectorXd& y,
                               const KrigingOptions& options) {
  KrigingProblem problem{features(space, data.inputs),
                         feature_lengths(space),
                         y,
                         model_matrix(space, trend_terms(space, options.trend), data.inputs),
                         *options.kernel,
                         options.criterion,
                         options.prior};
  if (problem.trend.cols() >= y.size() || column_rank(problem.trend) < problem.trend.cols())
    throw Error(
        fmt::format("{} runs cannot tell the {} terms of the trend apart", y.size(), problem.trend.cols()),
        "fit kriging", "use a shorter trend, such as constant, or add runs");
  return problem;
}

Descent search_lengths(KrigingObjective& objective, const Space& space, const Data& data,
                       const KrigingOptions& options, double spread, Seed seed, bool& nugget) {
  using Nugget = KrigingOptions::Nugget;
  const auto lengths = std::size_t(objective.problem().lengths());
  KrigingOptions search = options;
  if (data.size() > options.part && options.warm_start.empty())
    search.warm_start = start_on_part(space, data, options, seed);
  const bool warm_noise = search.warm_start.size() == lengths + 1;
  if (noise_is_given(options.nugget)) {
    const double noise = noise_of(data, options) / (spread * spread);
    if (warm_noise) search.warm_start.pop_back();
    nugget = noise > 0;
    return minimise_with_noise(objective, noise, search, seed);
  }
  nugget = options.nugget == Nugget::estimated ||
           (options.nugget == Nugget::when_needed && (data.noisy || warm_noise || replicates_differ(data)));
  if (nugget && search.warm_start.size() == lengths) search.warm_start.push_back(std::log(1e-3));
  return minimise_with_nugget_if_needed(objective, search, seed, nugget);
}

}  // namespace renth
