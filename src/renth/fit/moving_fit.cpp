#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/moving_fit.hpp>
#include <renth/fit/standardise.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/moving.hpp>

namespace renth {

using Index = Eigen::Index;

namespace {

/// Errors at the runs judged, each left out.
Eigen::VectorXd left_out_errors(const Moving::State& s, const std::vector<int>& judged) {
  Eigen::VectorXd error(judged.size());
  parallel_for(std::int64_t(judged.size()), [&](std::int64_t k) {
    const Index i = judged[std::size_t(k)];
    error[k] = s.y[i] -
               Moving::weights_at(s, s.features.row(i).transpose(), s.matrix.row(i).transpose(), i).dot(s.y);
  });
  return error;
}

/// Of many runs the errors at some of them are enough to choose by.
std::vector<int> judged_runs(Index n, int most, Seed seed) {
  std::vector<int> judged = Stream(seed, "moving judged").permutation(int(n));
  judged.resize(std::min<std::size_t>(judged.size(), std::size_t(most)));
  std::sort(judged.begin(), judged.end());
  return judged;
}

/// One local model with the number of runs that predicts best, if it is better than what was found so far.
void try_model(const Space& space, const Data& data, const MovingOptions& options, const std::string& model,
               const std::vector<int>& judged, Moving::State& best, double& least) {
  const Index n = data.size();
  Moving::State s;
  s.space = Space(space.parameters());
  s.model = model;
  s.terms = parse_terms(space, model);
  const auto p = Index(s.terms.size());
  if (n < p + 3 || (model != options.models.front() && n < 2 * p)) return;
  s.features = features(space, data.inputs);
  s.matrix = model_matrix(space, s.terms, data.inputs);
  s.y = data.outputs.col(0);
  s.noisy = data.noisy;
  int tried = 0;
  for (const double reach : options.near > 0 ? std::vector<double>{1} : options.reaches) {
    const auto wanted = options.near > 0 ? Index(options.near) : Index(std::ceil(reach * double(p)));
    s.near = int(std::min<Index>(n - 1, std::max<Index>(p + 2, wanted)));
    if (s.near == tried) continue;
    tried = s.near;
    const double mean = left_out_errors(s, judged).squaredNorm() / double(judged.size());
    if (mean < least) {
      least = mean;
      best = s;
    }
  }
}

}  // namespace

Fit moving_fit(MovingOptions options) {
  return without_blocks([options](const Space& space, const Data& data,
                                  Seed seed) -> std::unique_ptr<const Surrogate> {
    check_data(space, data);
    standardise(data, "moving");  // refuses what cannot be fitted
    const Index n = data.size();
    if (n > options.most_runs)
      throw Error(
          fmt::format("moving least squares on {} runs would look at all of them for every prediction", n),
          "fit moving", "use kriging, which goes by nearest runs when there are many");
    Moving::State best;
    double least = std::numeric_limits<double>::infinity();
    const std::vector<int> judged = judged_runs(n, options.judged, seed);
    for (const std::string& model : options.models)
      try_model(space, data, options, model, judged, best, least);
    if (!std::isfinite(least))
      throw Error(fmt::format("{} runs are too few for a local linear model of {} terms", n,
                              parse_terms(space, "linear").size()),
                  "fit moving", "add runs");
    // The errors are of runs that were not used: a run's variance times 1 + ‖l‖².
    double share = 0;
    for (const int i : judged)
      share += Moving::weights_at(best, best.features.row(i).transpose(), best.matrix.row(i).transpose(), i)
                   .squaredNorm();
    best.variance = least / (1 + share / double(judged.size()));
    return std::make_unique<Moving>(std::move(best));
  });
}

}  // namespace renth
