#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/numeric/random.hpp>
#include <renth/plan/information.hpp>
#include <renth/space/region.hpp>
#include <renth/terms/term_rows.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Corners and middles of faces of the box (all of −1, 0, +1 while there are few), where quadratics peak.
Eigen::MatrixXd grid_of_three(const Space& space) {
  constexpr double most = 2500;
  std::vector<std::vector<double>> values;
  double total = 1;
  for (const Parameter& p : space.parameters()) {
    values.emplace_back();
    if (p.is_between())
      values.back() = {p.low, 0.5 * (p.low + p.high), p.high};
    else
      for (int i = 0; i < p.settable_count(); ++i) values.back().push_back(p.settable(i));
    total *= double(values.back().size());
  }
  const bool all = total <= most;
  const auto count = Index(all ? total : most);
  Eigen::MatrixXd points(count, space.size());
  Stream stream(1, "grid of three");
  for (Index i = 0, kept = 0; i < count; ++i, ++kept) {
    auto rest = std::size_t(i);
    for (Index j = 0; j < space.size(); ++j) {
      const auto& v = values[std::size_t(j)];
      points(i, j) = all ? v[rest % v.size()] : v[stream.below(v.size())];
      rest /= v.size();
    }
  }
  return points;
}

/// Climbs xᵀAx from a point, a coordinate at a time, in ever smaller steps; `sign` −1 descends.
double climb(const Space& space, const TermRows& rows, const Eigen::MatrixXd& a, Eigen::VectorXd& point,
             double sign) {
  Eigen::VectorXd f(rows.size()), coded(space.size());
  const auto value_at = [&](const Eigen::VectorXd& at) {
    for (Index j = 0; j < space.size(); ++j) coded[j] = space.coded(j, at[j]);
    rows.fill(coded.data(), f.data());
    return sign * f.dot(a * f);
  };
  double best = value_at(point);
  for (double step = 0.5; step > 1e-4; step *= 0.5)
    for (bool moved = true; moved;) {
      moved = false;
      for (Index j = 0; j < space.size(); ++j) {
        const Parameter& p = space[j];
        std::vector<double> tries;
        if (p.is_between())
          for (const double way : {-step, step})
            tries.push_back(space.natural(j, std::clamp(space.coded(j, point[j]) + way, -1.0, 1.0)));
        else
          for (int i = 0; i < p.settable_count(); ++i) tries.push_back(p.settable(i));
        for (const double v : tries) {
          Eigen::VectorXd there = point;
          there[j] = v;
          if (v == point[j] || !space.allows(there)) continue;
          const double value = value_at(there);
          if (value > best * (1 + (best > 0 ? 1e-9 : -1e-9))) {
            best = value;
            point = there;
            moved = true;
          }
        }
      }
    }
  return sign * best;
}

/// The best of these points and of what climbing from the best few reaches.
double extreme(const Space& space, const Terms& terms, const Eigen::MatrixXd& inverse,
               const Eigen::MatrixXd& points, const Eigen::VectorXd& variance, double sign, int starts,
               Eigen::VectorXd* at) {
  std::vector<Index> order(std::size_t(points.rows()));
  std::iota(order.begin(), order.end(), Index(0));
  const auto count = std::min<std::size_t>(std::size_t(starts), order.size());
  std::partial_sort(order.begin(), order.begin() + std::ptrdiff_t(count), order.end(), [&](Index a, Index b) {
    return sign * variance[a] > sign * variance[b] || (variance[a] == variance[b] && a < b);
  });
  const TermRows rows(space, terms);
  double best = sign * variance[order[0]];
  Eigen::VectorXd place = points.row(order[0]);
  for (std::size_t k = 0; k < count; ++k) {
    Eigen::VectorXd point = points.row(order[k]);
    const double value = sign * climb(space, rows, inverse, point, sign);
    if (value > best) {
      best = value;
      place = point;
    }
  }
  if (at) *at = place;
  return sign * best;
}

Eigen::MatrixXd with_grid(const Space& space, const Eigen::MatrixXd& region) {
  const Eigen::MatrixXd grid = grid_of_three(space);
  Eigen::MatrixXd out(region.rows() + grid.rows(), space.size());
  out.topRows(region.rows()) = region;
  Index count = region.rows();
  for (Index i = 0; i < grid.rows(); ++i)
    if (space.allows(grid.row(i).transpose())) out.row(count++) = grid.row(i);
  return out.topRows(count);
}

}  // namespace

Eigen::VectorXd prediction_variances(const Space& space, const Terms& terms, const Eigen::MatrixXd& inverse,
                                     Points points) {
  constexpr Index block = 2048;
  Eigen::VectorXd out(points.rows());
  for (Index from = 0; from < points.rows(); from += block) {
    const Index count = std::min(block, points.rows() - from);
    const Eigen::MatrixXd x = model_matrix(space, terms, points.middleRows(from, count));
    out.segment(from, count) = (x * inverse).cwiseProduct(x).rowwise().sum();
  }
  return out;
}

double largest_variance(const Space& space, const Terms& terms, const Eigen::MatrixXd& inverse,
                        Eigen::VectorXd* at) {
  const Eigen::MatrixXd points = with_grid(space, region_points(space, 1024));
  return extreme(space, terms, inverse, points, prediction_variances(space, terms, inverse, points), 1, 4,
                 at);
}

PredictionVariance prediction_variance(const Space& space, const Terms& terms, const Eigen::MatrixXd& inverse,
                                       const Eigen::MatrixXd& moments) {
  PredictionVariance out;
  const Eigen::MatrixXd region = region_points(space, 1 << 14), all = with_grid(space, region);
  const Eigen::VectorXd variance = prediction_variances(space, terms, inverse, all);
  out.max = extreme(space, terms, inverse, all, variance, 1, 8, &out.max_at);
  out.min = extreme(space, terms, inverse, all, variance, -1, 8, nullptr);
  out.mean = inverse.cwiseProduct(moments).sum();
  std::vector<double> sorted(variance.data(), variance.data() + region.rows());
  std::sort(sorted.begin(), sorted.end());
  for (int k = 0; k <= 100; ++k) {
    const double share = k / 100.0, place = share * double(sorted.size()) - 0.5;
    const auto low = std::size_t(std::clamp(place, 0.0, double(sorted.size() - 1)));
    double value = sorted[low] + std::clamp(place - double(low), 0.0, 1.0) *
                                     (sorted[std::min(low + 1, sorted.size() - 1)] - sorted[low]);
    if (k == 0) value = out.min;
    if (k == 100) value = out.max;
    out.fraction.emplace_back(share, value);
  }
  return out;
}

}  // namespace renth
