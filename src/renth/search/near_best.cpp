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

/// Points of the region with their margins.
struct Level {
  Eigen::MatrixXd points;
  Eigen::VectorXd margins;
};

Eigen::MatrixXd rows_of(const Eigen::MatrixXd& points, const std::vector<Index>& which) {
  return points(which, Eigen::all);
}

/// An even sample of the region with what is held.
Eigen::MatrixXd sampled(const Space& space, const NearBestOptions& options, const Eigen::VectorXd& best,
                        Seed seed) {
  Eigen::MatrixXd x = sample_region(space, options.samples, Values::physical, seed, "near best");
  if (options.hold.empty()) return x;
  std::vector<Index> allowed;
  for (Index j = 0; j < x.cols(); ++j)
    if (options.hold[std::size_t(j)]) x.col(j).setConstant(best[j]);
  for (Index i = 0; i < x.rows(); ++i)
    if (space.allows(x.row(i).transpose())) allowed.push_back(i);
  return rows_of(x, allowed);
}

/// One step of each chain: a place near, taken if it is allowed and its margin is not below the bar (one of
/// coordinates at a time would take d times as long).
void step(const Space& space, const Margin& margin, const NearBestOptions& options,
          const Eigen::VectorXd& width, double bar, Stream& stream, Level& chains) {
  Eigen::MatrixXd tries = chains.points;
  for (Index i = 0; i < tries.rows(); ++i)
    for (Index j = 0; j < tries.cols(); ++j) {
      const double moves = stream.uniform(), u = stream.uniform();
      const Parameter& p = space[j];
      if ((!options.hold.empty() && options.hold[std::size_t(j)]) || moves > 0.5) continue;
      if (!p.is_between()) {
        tries(i, j) = space.from_unit(j, u, false);
        continue;
      }
      double v = tries(i, j) + (2 * u - 1) * width[j];
      if (v < p.low) v = 2 * p.low - v;
      if (v > p.high) v = 2 * p.high - v;
      tries(i, j) = std::clamp(v, p.low, p.high);
    }
  const Eigen::VectorXd m = margin(tries);
  for (Index i = 0; i < tries.rows(); ++i) {
    if (!(m[i] >= bar) || !space.allows(tries.row(i).transpose())) continue;
    chains.points.row(i) = tries.row(i);
    chains.margins[i] = m[i];
  }
}

/// From the best tenth of a sample as large a one of all that are as good as the worst of them.
Level next_level(const Space& space, const Margin& margin, const NearBestOptions& options,
                 const Level& best_tenth, Index size, double bar, Stream& stream) {
  Eigen::VectorXd width(space.size());
  for (Index j = 0; j < width.size(); ++j) {
    const Eigen::ArrayXd column = best_tenth.points.col(j).array();
    width[j] = 1.5 * std::sqrt((column - column.mean()).square().mean());
  }
  Level chains = best_tenth, out{Eigen::MatrixXd(size, space.size()), Eigen::VectorXd(size)};
  for (Index filled = 0; filled < size;) {
    // Two steps between those that are kept, which lie less close to one another.
    for (int k = 0; k < 2; ++k) step(space, margin, options, width, bar, stream, chains);
    const Index here = std::min(size - filled, chains.points.rows());
    out.points.middleRows(filled, here) = chains.points.topRows(here);
    out.margins.segment(filled, here) = chains.margins.head(here);
    filled += here;
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
  out.best = best;
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
  // Level by level, each a tenth of the one before (subset simulation).
  Level level;
  level.points = sampled(space, options, best, seed);
  level.margins = margin(level.points);
  Stream stream(seed, "levels of near best");
  double share = 1, relative = 0;
  constexpr double part = 0.1;
  constexpr int most_levels = 12;
  for (int round = 0; round < most_levels && level.points.rows() > 20; ++round) {
    std::vector<Index> order(std::size_t(level.margins.size())), inside;
    std::iota(order.begin(), order.end(), Index(0));
    for (const Index i : order)
      if (level.margins[i] >= 0) inside.push_back(i);
    const double n = double(order.size()), hit = double(inside.size()) / n;
    // Points of a chain know of one another: they count like a quarter as many.
    const double own = (1 - std::max(hit, part)) / std::max(hit, part) / n * (round == 0 ? 1 : 4);
    if (hit >= part || round + 1 == most_levels) {
      out.share = share * hit;
      out.share_error = out.share * std::sqrt(relative + own);
      add_pieces(space, margin, best, rows_of(level.points, inside), out);
      return out;
    }
    std::stable_sort(order.begin(), order.end(),
                     [&](Index a, Index b) { return level.margins[a] > level.margins[b]; });
    order.resize(std::size_t(part * n));
    const Level best_tenth{rows_of(level.points, order), level.margins(order)};
    const double bar = best_tenth.margins.minCoeff();
    level = next_level(space, margin, options, best_tenth, options.samples, bar, stream);
    share *= part;
    relative += own;
  }
  add_pieces(space, margin, best, Eigen::MatrixXd(0, space.size()), out);
  return out;
}

}  // namespace renth
