#include <fmt/format.h>

#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <limits>
#include <nlopt.hpp>
#include <renth/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <set>

namespace renth {
namespace {

const double least_log_theta = std::log(0.02), most_log_theta = std::log(100.0);
const double least_log_nugget = std::log(1e-10), most_log_nugget = std::log(10.0);

struct Optimum {
  Eigen::VectorXd at;
  double value = std::numeric_limits<double>::infinity();
};

/// One local optimisation; keeps the best point seen, also when the optimiser gives up.
Optimum descend(KrigingObjective& objective, const Eigen::VectorXd& start, std::vector<int>* evaluations) {
  const int before = objective.evaluations();
  const auto n = static_cast<unsigned>(start.size());
  std::vector<double> low(n, least_log_theta), high(n, most_log_theta), at(start.data(), start.data() + n);
  if (start.size() > objective.problem().lengths()) {
    low.back() = least_log_nugget;
    high.back() = most_log_nugget;
  }
  for (unsigned i = 0; i < n; ++i) at[i] = std::clamp(at[i], low[i], high[i]);
  Optimum best;
  struct Call {
    KrigingObjective& objective;
    Optimum& best;
    double worst = 0;
  } call{objective, best};
  nlopt::opt optimiser(nlopt::LD_LBFGS, n);
  optimiser.set_lower_bounds(low);
  optimiser.set_upper_bounds(high);
  optimiser.set_ftol_abs(1e-4);
  optimiser.set_xtol_abs(1e-4);
  optimiser.set_maxeval(120);
  optimiser.set_min_objective(
      [](unsigned size, const double* x, double* grad, void* data) {
        Call& c = *static_cast<Call*>(data);
        const Eigen::VectorXd t = Eigen::Map<const Eigen::VectorXd>(x, size);
        Eigen::VectorXd g = Eigen::VectorXd::Zero(size);
        const double value = c.objective(t, grad ? &g : nullptr);
        if (grad) std::copy(g.data(), g.data() + size, grad);
        if (value < c.best.value) c.best = {t, value};
        if (std::isfinite(value)) c.worst = std::max(c.worst, value);
        return std::isfinite(value) ? value : c.worst + 1e3;
      },
      &call);
  try {
    double value = 0;
    optimiser.optimize(at, value);
  } catch (const std::exception&) {
    // Rounding ended the line search: what was found so far stands.
  }
  if (evaluations) evaluations->push_back(objective.evaluations() - before);
  return best;
}

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

Optimum minimise(KrigingObjective& objective, bool nugget, const KrigingOptions& options, Seed seed) {
  const int lengths = objective.problem().lengths();
  if (options.warm_start.size() == static_cast<std::size_t>(lengths + nugget))
    return descend(objective, Eigen::Map<const Eigen::VectorXd>(options.warm_start.data(), lengths + nugget),
                   options.evaluations);
  std::vector<Optimum> looked;
  for (const Eigen::VectorXd& t : screening_points(lengths, nugget, options.screening, seed))
    looked.push_back({t, objective(t, nullptr)});
  std::stable_sort(looked.begin(), looked.end(),
                   [](const Optimum& a, const Optimum& b) { return a.value < b.value; });
  Optimum best;
  for (int s = 0; s < options.starts && s < static_cast<int>(looked.size()); ++s) {
    const Optimum found = descend(objective, looked[s].at, options.evaluations);
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

void refuse_what_cannot_be_fitted(const Data& data) {
  const std::vector<int> groups = replicate_groups(data);
  if (std::set<int>(groups.begin(), groups.end()).size() < 2)
    throw Error("kriging needs at least two different runs", "fit kriging", "add runs");
  if (!data.outputs.col(0).allFinite())
    throw Error("an output is not a finite number", "fit kriging", "set the run aside");
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
Optimum minimise_with_noise(KrigingObjective& objective, double noise, const KrigingOptions& options,
                            Seed seed) {
  KrigingOptions turn = options;
  objective.set_nugget(noise);  // of outputs with variance 1
  Optimum best;
  for (int round = 0; round < 5; ++round) {
    best = minimise(objective, false, turn, seed);
    if (!std::isfinite(best.value)) return best;
    objective(best.at, nullptr);
    objective.set_nugget(noise / std::max(objective.sigma2(), 1e-12));
    turn.warm_start.assign(best.at.data(), best.at.data() + best.at.size());
  }
  return best;
}

/// As many runs, drawn at random.
Data part_of(const Data& data, int count, Seed seed) {
  std::vector<Eigen::Index> rows;
  const std::vector<int> order = Stream(seed, "kriging part").permutation(int(data.size()));
  for (int i = 0; i < count; ++i) rows.push_back(order[i]);
  std::sort(rows.begin(), rows.end());
  return data.rows(rows);
}

/// Where the search on a part of the runs ended.
std::vector<double> start_on_part(const Space& space, const Data& data, KrigingOptions options, Seed seed) {
  const Data part = part_of(data, options.part, seed);
  options.part = std::numeric_limits<int>::max();
  const auto fitted = kriging_fit(options)(space, part, seed);
  return static_cast<const Kriging&>(*fitted).warm_start();
}

/// Mean of e_i²/variance_i over the runs, each left out: the estimate of σ² of F. Bachoc, Computational
/// Statistics & Data Analysis 66, 2013, equation 4, over that by likelihood. A kernel that is smoother than
/// the response shows here.
double left_out_scale(KrigingObjective& objective, const Eigen::VectorXd& t) {
  const double n = double(objective.problem().y.size()), p = double(objective.problem().trend.cols());
  Eigen::VectorXd error, variance;
  objective.left_out(t, error, variance);
  return (error.array().square() / variance.array()).mean() / (objective.sigma2() * n / (n - p));
}

}  // namespace

namespace {

/// One fit for each of several kernels; the one with the best criterion.
std::unique_ptr<const Surrogate> likeliest(const Space& space, const Data& data, KrigingOptions options,
                                           Seed seed) {
  std::unique_ptr<const Surrogate> best[4];
  const Kernel kernels[] = {Kernel::matern52, Kernel::product52, Kernel::gaussian, Kernel::matern32};
  std::vector<int>* counted = options.evaluations;
  std::vector<int> counts[4];
  parallel_for(4, [&](std::int64_t k) {
    KrigingOptions one = options;
    one.kernel = kernels[k];
    if (counted) one.evaluations = &counts[k];
    try {
      best[k] = kriging_fit(one)(space, data, seed);
    } catch (const Error&) {
      if (k == 0) throw;  // the others are tried besides
    }
  });
  std::size_t chosen = 0;
  for (std::size_t k = 1; k < 4; ++k) {
    const auto value = [&](std::size_t i) {
      return static_cast<const Kriging&>(*best[i]).state().log_likelihood;
    };
    if (best[k] && value(k) > value(chosen)) chosen = k;
  }
  for (const auto& c : counts)
    if (counted) counted->insert(counted->end(), c.begin(), c.end());
  return std::move(best[chosen]);
}

}  // namespace

Fit kriging_fit(KrigingOptions options) {
  return [options](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
    refuse_what_cannot_be_fitted(data);
    if (data.size() > options.most_dense) return nearest_kriging_fit(options)(space, data, seed);
    if (!options.kernel && data.size() > options.part) {
      // On a part of the runs it shows as well.
      KrigingOptions known = options;
      known.kernel =
          static_cast<const Kriging&>(*kriging_fit(options)(space, part_of(data, options.part, seed), seed))
              .state()
              .kernel;
      return kriging_fit(known)(space, data, seed);
    }
    if (!options.kernel) return likeliest(space, data, options, seed);
    const Eigen::VectorXd y = data.outputs.col(0);
    const auto n = static_cast<double>(y.size());
    const double centre = y.mean(), spread = std::sqrt((y.array() - centre).square().mean());
    if (!(spread > 1e-14 * std::abs(centre)))
      throw Error("the response is the same in every run", "fit kriging",
                  "there is nothing to fit: vary more, or look at the solver's output");
    const Terms trend = trend_terms(space, options.trend);
    // Standardised outputs keep offsets like 1e9 ± 1 harmless.
    KrigingProblem problem{features(space, data.inputs),
                           feature_lengths(space),
                           (y.array() - centre) / spread,
                           model_matrix(space, trend, data.inputs),
                           *options.kernel,
                           options.criterion,
                           options.prior};
    if (problem.trend.cols() >= y.size() ||
        Eigen::ColPivHouseholderQR<Eigen::MatrixXd>(problem.trend).rank() < problem.trend.cols())
      throw Error(
          fmt::format("{} runs cannot tell the {} terms of the trend apart", y.size(), problem.trend.cols()),
          "fit kriging", "use a shorter trend, such as constant, or add runs");
    KrigingObjective objective(std::move(problem));
    const int lengths = objective.problem().lengths();

    using Nugget = KrigingOptions::Nugget;
    KrigingOptions search = options;
    if (data.size() > options.part && options.warm_start.empty())
      search.warm_start = start_on_part(space, data, options, seed);
    const bool known = options.nugget == Nugget::fixed || options.nugget == Nugget::replicates;
    const bool warm_noise = search.warm_start.size() == std::size_t(lengths) + 1;
    bool nugget =
        options.nugget == Nugget::estimated ||
        (options.nugget == Nugget::when_needed && (data.noisy || warm_noise || replicates_differ(data)));
    if (nugget && search.warm_start.size() == std::size_t(lengths))
      search.warm_start.push_back(std::log(1e-3));
    Optimum best;
    if (known) {
      const double noise = noise_of(data, options) / (spread * spread);
      if (warm_noise) search.warm_start.pop_back();
      best = minimise_with_noise(objective, noise, search, seed);
      nugget = noise > 0;
    } else {
      best = minimise(objective, nugget, search, seed);
      if (!nugget && options.nugget == Nugget::when_needed && search.warm_start.empty()) {
        Eigen::VectorXd start(lengths + 1);
        if (std::isfinite(best.value))
          start << best.at, std::log(1e-3);
        else
          start << Eigen::VectorXd::Constant(lengths, std::log(0.7)), std::log(1e-3);
        const Optimum with = descend(objective, start, options.evaluations);
        if (with.value < best.value - 2) {
          best = with;
          nugget = true;
        }
      }
    }
    if (!std::isfinite(best.value))
      throw Error("the correlation matrix stays singular", "fit kriging",
                  "allow a nugget, or remove near-duplicate runs");

    best.value = objective(best.at, nullptr);
    Kriging::State s;
    s.space = Space(space.parameters());
    s.kernel = *options.kernel;
    s.trend = trend;
    s.theta = best.at.head(lengths).array().exp();
    s.nugget = best.at.size() > lengths ? std::exp(best.at[lengths])
                                        : std::max(KrigingObjective::floor, objective.problem().nugget);
    s.nugget_is_noise = nugget;
    s.centre = centre;
    s.beta = spread * objective.beta();
    s.sigma2 = objective.sigma2() * n / (n - double(trend.size())) * spread * spread;
    s.sigma2 *= std::max(1.0, left_out_scale(objective, best.at));
    s.log_likelihood = -best.value;
    s.runs = objective.scaled_runs();
    s.terms = objective.problem().trend;
    s.weights = spread * objective.weights();
    return std::make_unique<Kriging>(std::move(s));
  };
}

}  // namespace renth
