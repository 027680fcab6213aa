#include <algorithm>
#include <cmath>
#include <limits>
#include <nlopt.hpp>
#include <renth/error.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_likelihood.hpp>
#include <set>

namespace renth {
namespace {

const double least_log_theta = std::log(0.02), most_log_theta = std::log(50.0);
const double least_log_nugget = std::log(1e-10), most_log_nugget = std::log(10.0);

struct Optimum {
  Eigen::VectorXd at;
  double value = std::numeric_limits<double>::infinity();
};

/// One local optimisation; keeps the best point seen, also when the optimiser gives up.
Optimum descend(KrigingLikelihood& likelihood, const Eigen::VectorXd& start, int parameters,
                std::vector<int>* evaluations) {
  const int before = likelihood.evaluations();
  const auto n = static_cast<unsigned>(start.size());
  std::vector<double> low(n, least_log_theta), high(n, most_log_theta), at(start.data(), start.data() + n);
  if (start.size() > parameters) {
    low.back() = least_log_nugget;
    high.back() = most_log_nugget;
  }
  for (unsigned i = 0; i < n; ++i) at[i] = std::clamp(at[i], low[i], high[i]);
  Optimum best;
  struct Call {
    KrigingLikelihood& likelihood;
    Optimum& best;
    double worst = 0;
  } call{likelihood, best};
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
        const double value = c.likelihood(t, grad ? &g : nullptr);
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
  if (evaluations) evaluations->push_back(likelihood.evaluations() - before);
  return best;
}

/// Points to look at: equal lengths from short to long, then random ones.
std::vector<Eigen::VectorXd> screening_points(int parameters, bool nugget, int count, Seed seed) {
  std::vector<Eigen::VectorXd> out;
  Stream stream(seed, "kriging starts");
  const int equal = std::min(6, count);
  for (int i = 0; i < count; ++i) {
    Eigen::VectorXd t(parameters + nugget);
    for (Eigen::Index j = 0; j < parameters; ++j)
      t[j] = i < equal ? std::log(0.15) + i * std::log(20.0) / std::max(1, equal - 1)
                       : std::log(0.1) + stream.uniform() * std::log(100.0);
    if (nugget) t[parameters] = std::log(1e-6) + (i % 3) * std::log(300.0);
    out.push_back(std::move(t));
  }
  return out;
}

Optimum maximise(KrigingLikelihood& likelihood, int parameters, bool nugget, const KrigingOptions& options,
                 Seed seed) {
  Optimum best;
  int starts = options.starts;
  const bool warm = options.warm_start.size() == static_cast<std::size_t>(parameters + nugget);
  if (warm) {
    best = descend(
        likelihood,
        Eigen::Map<const Eigen::VectorXd>(options.warm_start.data(), Eigen::Index(options.warm_start.size())),
        parameters, options.evaluations);
    starts = std::min(starts - 1, 1);
  }
  std::vector<Optimum> looked;
  for (const Eigen::VectorXd& t : screening_points(parameters, nugget, options.screening, seed))
    looked.push_back({t, likelihood(t, nullptr)});
  std::stable_sort(looked.begin(), looked.end(),
                   [](const Optimum& a, const Optimum& b) { return a.value < b.value; });
  for (int s = 0; s < starts && s < static_cast<int>(looked.size()); ++s) {
    const Optimum found = descend(likelihood, looked[s].at, parameters, options.evaluations);
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

}  // namespace

Fit kriging_fit(KrigingOptions options) {
  return [options](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
    const Eigen::VectorXd y = data.outputs.col(0);
    const std::vector<int> groups = replicate_groups(data);
    if (std::set<int>(groups.begin(), groups.end()).size() < 2)
      throw Error("kriging needs at least two different runs", "fit kriging", "add runs");
    if (!y.allFinite()) throw Error("an output is not a finite number", "fit kriging", "set the run aside");
    const double centre = y.mean(), spread = std::sqrt((y.array() - centre).square().mean());
    if (!(spread > 1e-14 * std::abs(centre)))
      throw Error("the response is the same in every run", "fit kriging",
                  "there is nothing to fit: vary more, or look at the solver's output");

    const int d = static_cast<int>(space.size());
    // Standardised outputs keep offsets like 1e9 ± 1 harmless.
    KrigingLikelihood likelihood(features(space, data.inputs), feature_parameters(space), d,
                                 (y.array() - centre) / spread);
    const bool noisy =
        options.nugget == KrigingOptions::Nugget::estimated || data.noisy || replicates_differ(data);
    bool nugget = options.nugget != KrigingOptions::Nugget::none && noisy;
    Optimum best = maximise(likelihood, d, nugget, options, seed);
    if (!nugget && options.nugget == KrigingOptions::Nugget::when_needed) {
      Eigen::VectorXd start(d + 1);
      if (std::isfinite(best.value))
        start << best.at, std::log(1e-3);
      else
        start << Eigen::VectorXd::Constant(d, std::log(0.7)), std::log(1e-3);
      const Optimum with = descend(likelihood, start, d, options.evaluations);
      if (with.value < best.value - 2) {
        best = with;
        nugget = true;
      }
    }
    if (!std::isfinite(best.value))
      throw Error("the correlation matrix stays singular", "fit kriging",
                  "allow a nugget, or remove near-duplicate runs");

    best.value = likelihood(best.at, nullptr);
    Kriging::State s;
    s.space = Space(space.parameters());
    s.theta = best.at.head(d).array().exp();
    s.nugget = nugget ? std::exp(best.at[d]) : KrigingLikelihood::floor;
    s.nugget_is_noise = nugget;
    s.mean = centre + spread * likelihood.mean();
    const auto n = static_cast<double>(y.size());
    s.sigma2 = likelihood.sigma2() * n / (n - 1) * spread * spread;
    s.log_likelihood = -best.value;
    s.runs = likelihood.scaled_runs();
    s.weights = spread * likelihood.weights();
    return std::make_unique<Kriging>(std::move(s));
  };
}

}  // namespace renth
