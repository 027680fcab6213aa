#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <renth/sensitivity/variance_shares.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Subset = std::vector<int>;

/// Another point of the region that agrees with `point` outside `free`.
Eigen::VectorXd conditional(const Space& space, const Eigen::VectorXd& point, const Subset& free, Stream& stream) {
  Eigen::VectorXd other = point;
  for (int attempt = 0; attempt < 200; ++attempt) {
    for (const int j : free) other[j] = space.from_unit(j, stream.uniform(), false);
    if (space.allows(other)) return other;
  }
  Eigen::VectorXd low(space.size()), high(space.size());
  for (const int j : free) low[j] = space[j].low, high[j] = space[j].high;
  std::map<int, bool> frozen;
  for (int attempt = 0; attempt < 400; ++attempt) {
    for (const int j : free) {
      if (space[j].is_between())
        other[j] = low[j] + stream.uniform() * (high[j] - low[j]);
      else
        other[j] = frozen[j] ? point[j] : space.from_unit(j, stream.uniform(), false);
    }
    if (space.allows(other)) return other;
    for (const int j : free) {
      if (!space[j].is_between())
        frozen[j] = frozen[j] || attempt > 20;
      else
        (other[j] < point[j] ? low[j] : high[j]) = other[j];
    }
  }
  return point;
}

class Costs {
 public:
  Costs(const Space& space, const Evaluate& response, int samples, Seed seed)
      : space_(space), response_(response), seed_(seed), x_(sample_region(space, samples, Values::physical, seed, "shapley")) {
    y_ = response_(x_);
  }

  /// E Var(Y | all but `free`) = ½ E (Y − Y′)², Y′ another draw of the free ones.
  double operator()(const Subset& free) {
    if (free.empty()) return 0;
    const auto known = cost_.find(free);
    if (known != cost_.end()) return known->second;
    std::string key = "shapley subset";
    for (const int j : free) key += ' ' + std::to_string(j);
    Stream stream(seed_, key);
    Eigen::MatrixXd other(x_.rows(), x_.cols());
    for (Eigen::Index i = 0; i < x_.rows(); ++i) other.row(i) = conditional(space_, x_.row(i).transpose(), free, stream);
    return cost_[free] = 0.5 * (y_ - response_(other)).squaredNorm() / static_cast<double>(x_.rows());
  }

 private:
  const Space& space_;
  const Evaluate& response_;
  Seed seed_;
  Eigen::MatrixXd x_, y_;
  std::map<Subset, double> cost_;
};

}  // namespace

VarianceShares shapley_effects(const Space& space, const Evaluate& response, int samples, Seed seed, int replicate) {
  const int d = static_cast<int>(space.size());
  constexpr int exact_up_to = 8, orders = 200;
  constexpr double undefined = std::numeric_limits<double>::quiet_NaN();
  const Seed own = hash64("shapley effects", seed) + static_cast<std::uint64_t>(replicate);
  Costs cost(space, response, samples, own);

  std::vector<double> effect(d, 0);
  if (d <= exact_up_to) {
    // Each subset without i, weighted by the share of orders in which it comes before i.
    for (unsigned bits = 0; bits < 1U << d; ++bits) {
      Subset subset;
      for (int j = 0; j < d; ++j)
        if (bits >> j & 1U) subset.push_back(j);
      const auto size = static_cast<double>(subset.size());
      const double weight = std::exp(std::lgamma(size + 1) + std::lgamma(d - size) - std::lgamma(d + 1.0));
      for (int i = 0; i < d; ++i) {
        if (bits >> i & 1U) continue;
        Subset with = subset;
        with.insert(std::upper_bound(with.begin(), with.end(), i), i);
        effect[i] += weight * (cost(with) - cost(subset));
      }
    }
  } else {
    Stream stream(own, "shapley orders");
    for (int o = 0; o < orders; ++o) {
      Subset before;
      for (const int i : stream.permutation(d)) {
        Subset with = before;
        with.insert(std::upper_bound(with.begin(), with.end(), i), i);
        effect[i] += (cost(with) - cost(before)) / orders;
        before = std::move(with);
      }
    }
  }
  VarianceShares out;
  double sum = 0;
  for (const double e : effect) sum += e;
  out.variance = sum;
  out.pairs = Eigen::MatrixXd::Constant(d, d, undefined);
  for (const double e : effect) out.parameters.push_back({sum > 0 ? e / sum : 0, undefined, undefined});
  return out;
}

}  // namespace renth
