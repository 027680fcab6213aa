#include <algorithm>
#include <cmath>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/kriging_draws.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_search.hpp>
#include <renth/fit/layered_kriging_fit.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/fit/standardise.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>

namespace renth {
namespace {

constexpr Kernel tried_kernels[] = {Kernel::matern52, Kernel::product52, Kernel::gaussian, Kernel::matern32};

/// A response that is not analytic costs most with the Gaussian: it has to be seven times likelier.
double handicap_of(Kernel kernel) {
  return kernel == Kernel::gaussian ? 2 : 0;
}

/// Where the criterion of one kernel is least.
KrigingMode mode_of(const Space& space, const Data& data, const KrigingOptions& options,
                    const Standardised& outputs, Seed seed) {
  KrigingMode out;
  KrigingObjective objective(kriging_problem(space, data, outputs.z, options));
  const Descent best = search_lengths(objective, space, data, options, outputs.spread, seed, out.noise);
  if (!std::isfinite(best.value)) throw stays_singular();
  out.problem = objective.problem();
  out.at = best.at;
  out.value = best.value;
  out.handicap = handicap_of(*options.kernel);
  return out;
}

/// The modes of several kernels, the one with the best criterion first.
std::vector<KrigingMode> modes_of(const Space& space, const Data& data, const KrigingOptions& options,
                                  const Standardised& outputs, Seed seed) {
  if (options.kernel) return {mode_of(space, data, options, outputs, seed)};
  std::optional<KrigingMode> found[std::size(tried_kernels)];
  std::vector<int> counts[std::size(tried_kernels)];
  parallel_for(std::int64_t(std::size(tried_kernels)), [&](std::int64_t k) {
    KrigingOptions one = options;
    one.kernel = tried_kernels[k];
    if (options.evaluations) one.evaluations = &counts[k];
    try {
      found[k] = mode_of(space, data, one, outputs, seed);
    } catch (const Error&) {
      if (k == 0) throw;  // the others are tried besides
    }
  });
  for (const auto& c : counts)
    if (options.evaluations) options.evaluations->insert(options.evaluations->end(), c.begin(), c.end());
  std::vector<KrigingMode> out;
  for (auto& mode : found)
    if (mode) out.push_back(std::move(*mode));
  std::stable_sort(out.begin(), out.end(), [](const KrigingMode& a, const KrigingMode& b) {
    return a.value + a.handicap < b.value + b.handicap;
  });
  return out;
}

std::unique_ptr<const Surrogate> kriging_of(const KrigingMode& mode, const Space& space, const Terms& trend,
                                            const Standardised& outputs) {
  KrigingObjective objective(mode.problem);
  const double inflation = left_out_scale(objective, mode.at);
  Kriging::State s =
      kriging_here(objective, mode.at, mode.value, space, trend, outputs, mode.noise, inflation);
  s.runs = objective.scaled_runs();
  s.terms = mode.problem.trend;
  return std::make_unique<Kriging>(std::move(s));
}

/// Whether other krigings are to be drawn, and it is known how.
bool draws_for(const KrigingOptions& options, const Data& data) {
  return options.draws > 0 && data.size() <= options.most_drawn_for &&
         options.criterion == KrigingCriterion::likelihood && !noise_is_given(options.nugget);
}

Eigen::Index runs_of(const Surrogate& whole) {
  return static_cast<const Kriging&>(whole).state().runs.rows();
}

void refuse_what_cannot_be_fitted(const Data& data) {
  if (group_count(replicate_groups(data)) < 2)
    throw Error("kriging needs at least two different runs", "fit kriging", "add runs");
}

}  // namespace

Fit kriging_fit(KrigingOptions options) {
  return without_blocks(
      [options](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
        check_data(space, data);
        refuse_what_cannot_be_fitted(data);
        const Standardised outputs = standardise(data, "kriging");
        if (data.size() > options.most_dense) return layered_kriging_fit(options)(space, data, seed);
        KrigingOptions known = options;
        if (!options.kernel && data.size() > options.part) {
          // On a part of the runs it shows as well.
          known.draws = 0;
          const auto part = kriging_fit(known)(space, part_of(data, options.part, seed), seed);
          known.kernel = likeliest_process(*part)->kernel;
          known.warm_start = likeliest_process(*part)->warm_start();
        }
        const Terms trend = trend_terms(space, options.trend);
        const std::vector<KrigingMode> modes = modes_of(space, data, known, outputs, seed);
        if (!draws_for(options, data)) return kriging_of(modes.front(), space, trend, outputs);
        return kriging_ensemble(modes, options.draws, space, trend, outputs, seed);
      });
}

Fit kriging_again(KrigingOptions options, const Surrogate& whole) {
  if (const auto* layered = dynamic_cast<const Layered*>(&whole))
    return layered_kriging_again(options, *layered);
  const auto* ensemble = dynamic_cast<const KrigingEnsemble*>(&whole);
  if (!ensemble) {
    options.kernel = likeliest_process(whole)->kernel;
    options.warm_start = likeliest_process(whole)->warm_start();
    options.draws = 0;
    options.keep_lengths = runs_of(whole) > most_sought_in_folds;
    return kriging_fit(options);
  }
  return without_blocks(
      [options, ensemble](const Space& space, const Data& data, Seed) -> std::unique_ptr<const Surrogate> {
        check_data(space, data);
        refuse_what_cannot_be_fitted(data);
        const Standardised outputs = standardise(data, "kriging");
        KrigingOptions own = options;
        own.kernel = ensemble->state().modes.front().kernel;
        return ensemble_again(*ensemble, kriging_problem(space, data, outputs.z, own), space, outputs);
      });
}

}  // namespace renth
