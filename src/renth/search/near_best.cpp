#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <renth/search/near_best.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
using Margin = std::function<Eigen::VectorXd(Points)>;

/// The part of the box of all spans in which is sampled.
struct Zoom {
  Eigen::VectorXd low, high;  ///< of numbers
  double share = 1;           ///< of the box of all spans
};

Eigen::MatrixXd sampled_in(const Space& space, const Zoom& zoom, const NearBestOptions& options,
                           const Eigen::VectorXd& best, Seed seed, std::uint64_t round) {
  Eigen::MatrixXd x(options.samples, space.size());
  Stream stream(seed, "near best", round);
  for (Index i = 0; i < x.rows(); ++i)
    for (Index j = 0; j < x.cols(); ++j) {
      const double u = stream.uniform();
      const Parameter& p = space[j];
      if (!options.hold.empty() && options.hold[std::size_t(j)])
        x(i, j) = best[j];
      else if (p.is_between())
        x(i, j) = zoom.low[j] + u * (zoom.high[j] - zoom.low[j]);
      else
        x(i, j) = space.from_unit(j, u, false);
    }
  return x;
}

/// Round the best twentieth of a sample, with a margin of a fifth.
Zoom closer(const Space& space, const Zoom& zoom, const Eigen::MatrixXd& x, const Eigen::VectorXd& m,
            const Eigen::VectorXd& best) {
  std::vector<Index> order(std::size_t(m.size()));
  std::iota(order.begin(), order.end(), Index(0));
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return m[a] > m[b]; });
  order.resize(order.size() / 20);
  Zoom out = zoom;
  for (Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    if (!p.is_between()) continue;
    double low = best[j], high = best[j];
    for (const Index i : order) low = std::min(low, x(i, j)), high = std::max(high, x(i, j));
    const double spare = 0.2 * (high - low);
    out.low[j] = std::max(zoom.low[j], low - spare);
    out.high[j] = std::min(zoom.high[j], high + spare);
    out.share *= (out.high[j] - out.low[j]) / (zoom.high[j] - zoom.low[j]);
  }
  return out;
}

/// Groups of points that are connected within the region.
class Connected {
 public:
  Connected(const Space& space, const Margin& margin, const Eigen::MatrixXd& points)
      : space_(space), margin_(margin), points_(points), parent_(std::size_t(points.rows())) {
    std::iota(parent_.begin(), parent_.end(), Index(0));
    const Eigen::MatrixXd f = features(space, points);
    constexpr Index neighbours = 12;
    for (Index i = 0; i < points.rows(); ++i) {
      const Eigen::VectorXd distance = (f.rowwise() - f.row(i)).rowwise().squaredNorm();
      std::vector<Index> order(std::size_t(points.rows()));
      std::iota(order.begin(), order.end(), Index(0));
      const auto most = std::min<Index>(neighbours + 1, points.rows());
      std::partial_sort(order.begin(), order.begin() + most, order.end(),
                        [&](Index a, Index b) { return distance[a] < distance[b]; });
      for (Index k = 1; k < most; ++k) try_to_join(i, order[std::size_t(k)]);
    }
    // What is still apart: also over longer ways.
    for (Index i = 0; i < points.rows(); ++i)
      for (Index k = 1; k <= 7; ++k) try_to_join(i, (i * 31 + k * 97) % points.rows());
  }
  Index root(Index i) {
    while (parent_[std::size_t(i)] != i)
      i = parent_[std::size_t(i)] = parent_[std::size_t(parent_[std::size_t(i)])];
    return i;
  }

 private:
  void try_to_join(Index a, Index b) {
    if (root(a) == root(b)) return;
    constexpr int steps = 9;
    Eigen::MatrixXd between(steps, points_.cols());
    for (int s = 0; s < steps; ++s) {
      const double t = (s + 1.0) / (steps + 1);
      for (Index j = 0; j < points_.cols(); ++j) {
        const Parameter& p = space_[j];
        const double v = points_(a, j) + t * (points_(b, j) - points_(a, j));
        between(s, j) = p.is_choice()    ? (t < 0.5 ? points_(a, j) : points_(b, j))
                        : p.is_between() ? v
                                         : p.snap(v);
      }
    }
    if ((margin_(between).array() >= 0).all()) parent_[std::size_t(root(a))] = root(b);
  }

  const Space& space_;
  const Margin& margin_;
  const Eigen::MatrixXd& points_;
  std::vector<Index> parent_;
};

SettingsBox box_round(const Space& space, const Eigen::MatrixXd& points, const std::vector<Index>& of) {
  SettingsBox out{points.row(of.front()), points.row(of.front()),
                  std::vector<std::vector<double>>(std::size_t(space.size()))};
  for (const Index i : of) {
    out.low = out.low.cwiseMin(points.row(i).transpose());
    out.high = out.high.cwiseMax(points.row(i).transpose());
  }
  for (Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    if (!p.is_discrete()) continue;
    for (int k = 0; k < p.settable_count(); ++k) {
      const double v = p.settable(k);
      const bool occurs = p.is_between()
                              ? v >= out.low[j] && v <= out.high[j]
                              : std::any_of(of.begin(), of.end(), [&](Index i) { return points(i, j) == v; });
      if (occurs) out.values[std::size_t(j)].push_back(v);
    }
  }
  return out;
}

void add_pieces(const Space& space, const Margin& margin, const Eigen::VectorXd& best,
                const Eigen::MatrixXd& inside, NearBest& out) {
  constexpr Index most = 400;
  const Index taken = std::min(most, inside.rows());
  Eigen::MatrixXd points(taken + 1, space.size());
  points.row(0) = best;
  for (Index i = 0; i < taken; ++i) points.row(i + 1) = inside.row(i * inside.rows() / taken);
  const Eigen::VectorXd m = margin(points);
  Connected connected(space, margin, points);
  std::map<Index, std::vector<Index>> groups;
  for (Index i = 0; i < points.rows(); ++i) groups[connected.root(i)].push_back(i);
  const Index own = connected.root(0);
  for (const auto& [root, of] : groups) {
    // One or two points by themselves are more likely to be badly connected than a piece.
    if (root != own && double(of.size()) < 0.02 * double(points.rows())) continue;
    NearBest::Piece piece{box_round(space, points, of), 0, {}};
    Index top = of.front();
    for (const Index i : of)
      if (m[i] > m[top]) top = i;
    piece.point = root == own ? best : Eigen::VectorXd(points.row(top));
    const double counted = double(of.size()) - (root == own ? 1 : 0);
    piece.share = out.share * counted / double(std::max<Index>(taken, 1));
    out.pieces.push_back(std::move(piece));
  }
  std::stable_sort(out.pieces.begin(), out.pieces.end(), [&](const auto& a, const auto& b) {
    return (a.point == best) != (b.point == best) ? a.point == best : a.share > b.share;
  });
}

}  // namespace

NearBest near_best(const Space& space, const Margin& margin, const Eigen::VectorXd& best,
                   const NearBestOptions& options, Seed seed) {
  NearBest out;
  out.alone = reach_of_each(space, best, margin);
  for (Index j = 0; j < space.size(); ++j) {
    if (options.hold.empty() || !options.hold[std::size_t(j)]) continue;
    Reach& held = out.alone[std::size_t(j)];
    held.low = held.high = best[j];
    if (!held.values.empty()) held.values = {best[j]};
  }
  out.box = largest_box(space, margin, best, options, seed);
  out.box_volume = 1;
  for (Index j = 0; j < space.size(); ++j)
    if (space[j].is_between())
      out.box_volume *= (out.box.high[j] - out.box.low[j]) / (space[j].high - space[j].low);
  Zoom zoom{Eigen::VectorXd(space.size()), Eigen::VectorXd(space.size()), 1};
  for (Index j = 0; j < space.size(); ++j) zoom.low[j] = space[j].low, zoom.high[j] = space[j].high;
  constexpr Index enough = 50;
  constexpr std::uint64_t most_rounds = 12;
  for (std::uint64_t round = 0;; ++round) {
    const Eigen::MatrixXd x = sampled_in(space, zoom, options, best, seed, round);
    const Eigen::VectorXd m = margin(x);
    std::vector<Index> inside;
    Index allowed = 0;
    for (Index i = 0; i < m.size(); ++i) {
      if (m[i] >= 0) inside.push_back(i);
      allowed += space.allows(x.row(i).transpose());
    }
    if (Index(inside.size()) < enough && round < most_rounds) {
      zoom = closer(space, zoom, x, m, best);
      continue;
    }
    const double hit = double(inside.size()) / double(m.size());
    const double region =
        round == 0 ? std::max(1e-12, double(allowed) / double(m.size())) : feasible_share(space, seed);
    out.share = std::min(1.0, hit * zoom.share / region);
    out.share_error = inside.empty() ? 0 : out.share * std::sqrt((1 - hit) / double(inside.size()));
    add_pieces(space, margin, best, x(inside, Eigen::all), out);
    return out;
  }
}

}  // namespace renth
