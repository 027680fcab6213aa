#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/plan/settled.hpp>
#include <renth/space/shown.hpp>
#include <vector>

namespace renth {
namespace {

using Eigen::Index;

/// The two roundings of a number: down and up.
struct Roundings {
  Index parameter;
  double down, up, unit;
};

std::vector<Roundings> roundings_of(const Space& space, const Eigen::VectorXd& point) {
  std::vector<Roundings> out;
  for (Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    if (p.settable_count() > 0 || point[j] <= p.low || point[j] >= p.high) continue;
    const int decimals = shown_decimals(p, point[j]);
    const double unit = std::pow(10.0, -decimals);
    // A hair, so that what is rounded already has itself on both sides.
    const double down = tidy(std::floor(point[j] / unit + 1e-6) * unit);
    const double up = tidy(std::ceil(point[j] / unit - 1e-6) * unit);
    out.push_back({j, std::max(down, p.low), std::min(up, p.high), unit});
  }
  return out;
}

Eigen::VectorXd settled_point(const Space& space, const Eigen::VectorXd& point) {
  constexpr std::size_t most = 10;  // 1024 ways
  const std::vector<Roundings> free = roundings_of(space, point);
  if (free.empty() || free.size() > most) return point;
  Eigen::VectorXd best = point;
  double least = std::numeric_limits<double>::infinity();
  for (std::size_t ways = 0; ways < (std::size_t(1) << free.size()); ++ways) {
    Eigen::VectorXd rounded = point;
    double moved = 0;
    bool simple = true;  // numbers with few decimals lie on a limit because they are meant to
    for (std::size_t i = 0; i < free.size(); ++i) {
      const Roundings& r = free[i];
      const double value = (ways >> i & 1U) != 0 ? r.up : r.down;
      rounded[r.parameter] = value;
      moved += std::pow((value - point[r.parameter]) / r.unit, 2);
      simple = simple && std::abs(std::remainder(value, 100 * r.unit)) < 1e-6 * r.unit;
    }
    const double margin = space.margin(rounded.data());
    if (!(margin >= 0)) continue;
    // On the limit to the last bit is on its allowed side only if that bit is right.
    const double cost = moved + (margin == 0 && !simple ? double(2 * free.size()) : 0.0);
    if (cost < least) least = cost, best = rounded;
  }
  return best;
}

}  // namespace

Eigen::MatrixXd settled(const Space& space, Eigen::MatrixXd points) {
  if (!space.limits().empty())
    for (Index i = 0; i < points.rows(); ++i) points.row(i) = settled_point(space, points.row(i).transpose());
  return points;
}

}  // namespace renth
