#include <algorithm>
#include <cmath>
#include <functional>
#include <numeric>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <renth/numeric/random.hpp>
#include <renth/selection/idle.hpp>
#include <renth/space/features.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>

namespace renth {

std::vector<Eigen::Index> active_parameters(const Space& space, const Data& data, const Process& fitted,
                                            double cost) {
  const Process& s = fitted;
  const Eigen::VectorXd y = data.outputs.col(0);
  const double spread = std::sqrt((y.array() - y.mean()).square().mean());
  const std::vector<int> length = feature_lengths(space), parameter = feature_parameters(space);
  KrigingObjective objective({features(space, data.inputs), length, (y.array() - y.mean()) / spread,
                              model_matrix(space, s.trend, data.inputs), s.kernel,
                              KrigingCriterion::likelihood, false, s.nugget});
  Eigen::VectorXd t = s.theta.array().log();
  std::vector<double> shortest(std::size_t(space.size()), std::numeric_limits<double>::infinity());
  for (std::size_t k = 0; k < length.size(); ++k)
    shortest[std::size_t(parameter[k])] = std::min(shortest[std::size_t(parameter[k])], t[length[k]]);
  std::vector<Eigen::Index> order(std::size_t(space.size()));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](Eigen::Index a, Eigen::Index b) {
    return shortest[std::size_t(a)] > shortest[std::size_t(b)];
  });
  double value = objective(t, nullptr);
  std::vector<Eigen::Index> active;
  // Many together first: where most do nothing, one likelihood says so of half of them.
  const std::function<void(std::size_t, std::size_t)> take_out = [&](std::size_t from, std::size_t to) {
    Eigen::VectorXd without = t;
    for (std::size_t at = from; at < to; ++at)
      for (std::size_t k = 0; k < length.size(); ++k)
        if (parameter[k] == order[at]) without[length[k]] = std::log(1e8);
    const double then = objective(without, nullptr);
    if (then < value + cost) {
      t = without;
      value = std::min(value, then);
    } else if (to - from == 1) {
      active.push_back(order[from]);
    } else {
      const std::size_t middle = from + (to - from) / 2;
      take_out(from, middle);
      take_out(middle, to);
    }
  };
  take_out(0, order.size());
  if (active.empty()) active.push_back(order.back());
  std::sort(active.begin(), active.end());
  return active;
}

std::function<std::vector<Eigen::Index>(const Space&, const Data&, Seed)> active_parameters_of(
    KrigingOptions options) {
  return [options](const Space& space, const Data& data, Seed seed) {
    const auto fitted = kriging_fit(options)(space, data, seed);
    return active_parameters(space, data, *likeliest_process(*fitted));
  };
}

}  // namespace renth
