#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/undefined.hpp>
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/variance_shares.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Subset = std::vector<int>;

/// Another point of the region that agrees with `point` outside `free`.
Eigen::VectorXd conditional(const Space& space, const Eigen::VectorXd& point, const Subset& free,
                            Stream stream) {
  Eigen::VectorXd other = point;
  for (int attempt = 0; attempt < 200; ++attempt) {
    // One number a parameter and attempt, free or not: subsets then share what they have in common.
    std::size_t next = 0;
    for (int j = 0; j < space.size(); ++j) {
      const double u = stream.uniform();
      if (next < free.size() && free[next] == j) other[j] = space.from_unit(j, u, false), ++next;
    }
    if (space.allows(other)) return other;
  }
  Eigen::VectorXd low(space.size()), high(space.size());
  for (const int j : free) low[j] = space[j].low, high[j] = space[j].high;
  std::map<int, bool> frozen;
  for (int attempt = 0; attempt < 400; ++attempt) {
    std::size_t next = 0;
    for (int j = 0; j < space.size(); ++j) {
      const double u = stream.uniform();
      if (next == free.size() || free[next] != j) continue;
      ++next;
      if (space[j].is_between())
        other[j] = low[j] + u * (high[j] - low[j]);
      else
        other[j] = frozen[j] ? point[j] : space.from_unit(j, u, false);
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
  Costs(const Space& space, const std::vector<Evaluate>& models, int samples, Seed seed)
      : space_(space),
        models_(models),
        seed_(seed),
        x_(sample_region(space, samples, Values::physical, seed, "shapley")) {
    for (const Evaluate& model : models) y_.push_back(model(x_));
    first_.resize(x_.rows(), x_.cols());
    for (Eigen::Index i = 0; i < x_.rows(); ++i) {
      Stream stream = stream_of(i);
      for (Eigen::Index j = 0; j < x_.cols(); ++j) first_(i, j) = space.from_unit(j, stream.uniform(), false);
    }
  }

  /// For each model and output E Var(Y | all but `free`) = ½ E (Y − Y′)², Y′ another draw of the free ones.
  const std::vector<Eigen::VectorXd>& operator()(const Subset& free) {
    std::vector<Eigen::VectorXd>& cost = cost_[free];
    if (!cost.empty()) return cost;
    if (free.empty())
      return cost = std::vector<Eigen::VectorXd>(models_.size(), Eigen::VectorXd::Zero(y_[0].cols()));
    // Most first attempts are allowed, and all subsets make them from the same numbers.
    Eigen::MatrixXd other = x_;
    for (const int j : free) other.col(j) = first_.col(j);
    Eigen::VectorXd point(x_.cols());
    for (Eigen::Index i = 0; i < x_.rows(); ++i) {
      point = other.row(i);
      if (!space_.allows(point))
        other.row(i) = conditional(space_, x_.row(i).transpose(), free, stream_of(i));
    }
    for (std::size_t m = 0; m < models_.size(); ++m)
      cost.push_back(0.5 * (y_[m] - models_[m](other)).colwise().squaredNorm().transpose() /
                     static_cast<double>(x_.rows()));
    return cost;
  }

 private:
  Stream stream_of(Eigen::Index i) const {
    return Stream(seed_, "shapley point", static_cast<std::uint64_t>(i));
  }

  const Space& space_;
  const std::vector<Evaluate>& models_;
  Seed seed_;
  Eigen::MatrixXd x_, first_;  ///< points, and the first attempt at others
  std::vector<Eigen::MatrixXd> y_;
  std::map<Subset, std::vector<Eigen::VectorXd>> cost_;
};

}  // namespace

std::vector<VarianceShares> shapley_effects(const Space& space, const std::vector<Evaluate>& models,
                                            int samples, Seed seed, int replicate) {
  const int d = static_cast<int>(space.size());
  constexpr int exact_up_to = 8, pairs = 12;
  const Seed own = hash64("shapley effects", seed) + static_cast<std::uint64_t>(replicate);
  Costs cost(space, models, samples, own);
  const Eigen::Index q = cost({}).front().size();
  std::vector<Eigen::MatrixXd> effect(models.size(), Eigen::MatrixXd::Zero(d, q));
  const auto add = [&](int i, const Subset& before, double weight) {
    Subset with = before;
    with.insert(std::upper_bound(with.begin(), with.end(), i), i);
    const std::vector<Eigen::VectorXd>&more = cost(with), &less = cost(before);
    for (std::size_t m = 0; m < models.size(); ++m)
      effect[m].row(i) += weight * (more[m] - less[m]).transpose();
  };
  if (d <= exact_up_to) {
    // Each subset without i, weighted by the share of orders in which it comes before i.
    for (unsigned bits = 0; bits < 1U << d; ++bits) {
      Subset subset;
      for (int j = 0; j < d; ++j)
        if (bits >> j & 1U) subset.push_back(j);
      const auto size = static_cast<double>(subset.size());
      const double weight = std::exp(std::lgamma(size + 1) + std::lgamma(d - size) - std::lgamma(d + 1.0));
      for (int i = 0; i < d; ++i)
        if (!(bits >> i & 1U)) add(i, subset, weight);
    }
  } else {
    Stream stream(own, "shapley orders");
    // Each with its reverse: of every two parameters each comes first once, so that what two do together is
    // shared as it should be without chance.
    for (int o = 0; o < pairs; ++o) {
      std::vector<int> order = stream.permutation(d);
      for (int way = 0; way < 2; ++way) {
        Subset before;
        for (const int i : order) {
          add(i, before, 0.5 / pairs);
          before.insert(std::upper_bound(before.begin(), before.end(), i), i);
        }
        std::reverse(order.begin(), order.end());
      }
    }
  }
  std::vector<VarianceShares> out(models.size());
  for (std::size_t m = 0; m < models.size(); ++m) {
    const Eigen::VectorXd e = effect[m].rowwise().sum();
    const Eigen::RowVectorXd each = effect[m].colwise().sum();
    out[m].along = Eigen::MatrixXd::Zero(d, q > 1 ? q : 0);
    for (Eigen::Index k = 0; k < out[m].along.cols(); ++k)
      if (each[k] > 0) out[m].along.col(k) = effect[m].col(k) / each[k];
    out[m].variance = e.sum();
    out[m].pairs = Eigen::MatrixXd::Constant(d, d, undefined);
    for (int i = 0; i < d; ++i)
      out[m].parameters.push_back({e.sum() > 0 ? e[i] / e.sum() : 0, undefined, undefined});
  }
  return out;
}

}  // namespace renth
