#include <algorithm>
#include <map>
#include <renth/sensitivity/distance_correlation.hpp>
#include <renth/sensitivity/ranks.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Σ_j |x_i − x_j|.
Eigen::VectorXd distance_sums(const Eigen::VectorXd& x, const std::vector<Index>& order) {
  Eigen::VectorXd out(x.size());
  const double n = double(x.size()), all = x.sum();
  double before = 0;
  for (std::size_t k = 0; k < order.size(); ++k) {
    const double here = x[order[k]];
    out[order[k]] = here * (2 * double(k) - n) + all - 2 * before;
    before += here;
  }
  return out;
}

/// Running sums of 1, x, y and xy by place: what has been added at places below one.
class RunningSums {
 public:
  explicit RunningSums(Index n) : tree_(4, n + 1) { tree_.setZero(); }
  void add(Index place, const Eigen::Vector4d& values) {
    for (Index k = place + 1; k < tree_.cols(); k += k & -k) tree_.col(k) += values;
  }
  Eigen::Vector4d below(Index place) const {
    Eigen::Vector4d out = Eigen::Vector4d::Zero();
    for (Index k = place; k > 0; k -= k & -k) out += tree_.col(k);
    return out;
  }

 private:
  Eigen::Matrix<double, 4, Eigen::Dynamic> tree_;
};

/// Σ_i Σ_j |x_i − x_j| |y_i − y_j|.
double products_of_numbers(const DistanceColumn& x, const DistanceColumn& y,
                           const std::vector<Index>& permuted) {
  const Index n = x.size();
  std::vector<Index> place(static_cast<std::size_t>(n));
  for (Index k = 0; k < n; ++k) place[std::size_t(y.order()[std::size_t(k)])] = k;
  RunningSums sums(n);
  Eigen::Vector4d all = Eigen::Vector4d::Zero();
  double out = 0;
  for (const Index i : x.order()) {
    const Index run = permuted[std::size_t(i)], at = place[std::size_t(run)];
    const double u = x.values()[i], v = y.values()[run];
    const Eigen::Vector4d less = sums.below(at), rest = all - less;
    // (u − x)(v − y) of those with a smaller y, and (u − x)(y − v) of the others.
    const auto signed_sum = [&](const Eigen::Vector4d& s) {
      return u * v * s[0] - v * s[1] - u * s[2] + s[3];
    };
    out += signed_sum(less) - signed_sum(rest);
    const Eigen::Vector4d own(1, u, v, u * v);
    sums.add(at, own);
    all += own;
  }
  return 2 * out;
}

/// Σ over pairs of different labels of |y_i − y_j|: all pairs less those within a label.
double products_of_labels(const DistanceColumn& x, const DistanceColumn& y,
                          const std::vector<Index>& permuted) {
  std::vector<Index> run_of(permuted.size());  // of each run of y the run of x beside it
  for (std::size_t i = 0; i < permuted.size(); ++i) run_of[std::size_t(permuted[i])] = Index(i);
  struct Group {
    double count = 0, sum = 0, within = 0;
  };
  std::map<double, Group> groups;
  for (const Index run : y.order()) {
    Group& g = groups[x.values()[run_of[std::size_t(run)]]];
    const double v = y.values()[run];
    g.within += 2 * (v * g.count - g.sum);
    ++g.count;
    g.sum += v;
  }
  double out = y.total();
  for (const auto& [label, g] : groups) out -= g.within;
  return out;
}

}  // namespace

DistanceColumn DistanceColumn::of_numbers(const Eigen::VectorXd& x) {
  DistanceColumn out;
  out.values_ = x.array() - x.mean();  // distances do not change, and fewer digits are lost
  out.order_ = ascending(x);
  out.sums_ = distance_sums(out.values_, out.order_);
  return out;
}

DistanceColumn DistanceColumn::of_labels(const Eigen::VectorXd& labels) {
  DistanceColumn out;
  out.values_ = labels;
  out.order_ = ascending(labels);
  out.labels_ = true;
  std::map<double, double> counts;
  for (const double v : labels) ++counts[v];
  out.sums_.resize(labels.size());
  for (Index i = 0; i < labels.size(); ++i) out.sums_[i] = double(labels.size()) - counts[labels[i]];
  return out;
}

double distance_covariance(const DistanceColumn& x, const DistanceColumn& y,
                           const std::vector<Index>& permuted) {
  const double n = double(x.size());
  const double products =
      x.labels() ? products_of_labels(x, y, permuted) : products_of_numbers(x, y, permuted);
  double rows = 0;
  for (Index i = 0; i < x.size(); ++i) rows += x.sums()[i] * y.sums()[permuted[std::size_t(i)]];
  return (products - 2 / (n - 2) * rows + x.total() * y.total() / ((n - 1) * (n - 2))) / (n * (n - 3));
}

}  // namespace renth
