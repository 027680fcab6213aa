#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

Eigen::VectorXd draw(const Space& space, Values values, Stream& stream) {
  Eigen::VectorXd point(space.size());
  for (Eigen::Index j = 0; j < space.size(); ++j)
    point[j] = space.from_unit(j, stream.uniform(), values == Values::settable);
  return point;
}

}  // namespace

Eigen::MatrixXd sample_region(const Space& space, Eigen::Index count, Values values, Seed seed,
                              std::string_view purpose) {
  constexpr std::int64_t most_misses = 4'000'000;
  Eigen::MatrixXd points(count, space.size());
  Stream stream(seed, purpose);
  std::int64_t misses = 0;
  for (Eigen::Index i = 0; i < count;) {
    const Eigen::VectorXd point = draw(space, values, stream);
    if (space.allows(point)) {
      points.row(i++) = point;
      misses = 0;
    } else if (++misses > most_misses) {
      throw Error("the limits leave nothing, or less than a millionth, of the box", "limits of the study",
                  "loosen a limit or narrow the spans to where it holds");
    }
  }
  return points;
}

Eigen::MatrixXd region_points(const Space& space, Eigen::Index count) {
  Eigen::Index chunk = 4096;
  constexpr std::uint64_t most = 1ULL << 25;
  Eigen::MatrixXd points(count, space.size());
  Eigen::VectorXd point(space.size());
  Eigen::Index found = 0;
  for (std::uint64_t next = 0; found < count;
       next += std::uint64_t(chunk), chunk = std::min<Eigen::Index>(2 * chunk, 1 << 16)) {
    if (next >= most && found > 0) break;
    if (next >= most)
      throw Error("the limits leave nothing, or less than a millionth, of the box", "limits of the study",
                  "loosen a limit or narrow the spans to where it holds");
    const Eigen::MatrixXd unit = sobol_points(chunk, space.size(), next);
    for (Eigen::Index i = 0; i < chunk && found < count; ++i) {
      for (Eigen::Index j = 0; j < space.size(); ++j)
        point[j] = space.from_unit(j, unit(i, j) + 0.5 / double(1ULL << 32), false);
      if (space.allows(point)) points.row(found++) = point;
    }
  }
  return points.topRows(found);
}

double feasible_share(const Space& space, Seed seed) {
  if (space.limits().empty()) return 1;
  constexpr int tries = 20'000;
  Stream stream(seed, "feasible share");
  int held = 0;
  for (int i = 0; i < tries; ++i) held += space.allows(draw(space, Values::physical, stream));
  return static_cast<double>(held) / tries;
}

Coverage::Coverage(const Space& space, Points runs) : space_(space) {
  const Eigen::Index n = runs.rows();
  if (n == 0) return;
  least_ = runs.colwise().minCoeff();
  most_ = runs.colwise().maxCoeff();
  runs_ = features(space_, runs).transpose();
  // The largest distance of a run to its nearest other run.
  double reach2 = 0;
  for (Eigen::Index i = 0; i < n; ++i) {
    double nearest = std::numeric_limits<double>::infinity();
    for (Eigen::Index j = 0; j < n; ++j) {
      const double d = (runs_.col(i) - runs_.col(j)).squaredNorm();
      if (j != i && d > 0) nearest = std::min(nearest, d);
    }
    if (std::isfinite(nearest)) reach2 = std::max(reach2, nearest);
  }
  reach_ = std::sqrt(reach2);
}

double Coverage::distance(const Eigen::VectorXd& point) const {
  if (runs_.cols() == 0) return std::numeric_limits<double>::infinity();
  return std::sqrt((runs_.colwise() - features(space_, point.transpose()).transpose().col(0))
                       .colwise()
                       .squaredNorm()
                       .minCoeff());
}

bool Coverage::inside(const Eigen::VectorXd& point) const {
  const Eigen::Index n = runs_.cols();
  if (n == 0) return false;
  for (Eigen::Index j = 0; j < space_.size(); ++j) {
    const Parameter& p = space_[j];
    if (p.is_choice()) continue;
    const double spare = (most_[j] - least_[j]) / static_cast<double>(n) * (1 + 1e-9);
    if (point[j] < least_[j] - spare || point[j] > most_[j] + spare) return false;
  }
  const Eigen::VectorXd f = features(space_, point.transpose()).transpose();
  Eigen::Index at = 0;
  for (Eigen::Index j = 0; j < space_.size(); ++j) {
    const auto count = space_[j].is_choice() ? static_cast<Eigen::Index>(space_[j].choices.size()) : 1;
    if (space_[j].is_choice() && runs_.row(at + static_cast<Eigen::Index>(point[j])).maxCoeff() == 0)
      return false;  // a choice that no run took
    at += count;
  }
  return distance(point) <= reach_ * (1 + 1e-9) || in_hull(f);
}

bool Coverage::in_hull(const Eigen::VectorXd& point) const {
  // The point of the hull nearest to `point`, by pairwise Frank–Wolfe steps (S. Lacoste-Julien and
  // M. Jaggi, NIPS 2015, algorithm 2). Stops as soon as a plane separates the two.
  const Eigen::Index n = runs_.cols();
  Eigen::VectorXd weight = Eigen::VectorXd::Zero(n);
  Eigen::Index start = 0;
  (runs_.colwise() - point).colwise().squaredNorm().minCoeff(&start);
  weight[start] = 1;
  Eigen::VectorXd gap = runs_.col(start) - point;
  for (int step = 0; step < 2000; ++step) {
    if (gap.squaredNorm() < 1e-12) return true;
    const Eigen::VectorXd along = runs_.transpose() * gap;
    Eigen::Index toward = 0, away = -1;
    along.minCoeff(&toward);
    for (Eigen::Index i = 0; i < n; ++i)
      if (weight[i] > 0 && (away < 0 || along[i] > along[away])) away = i;
    // All runs lie beyond the plane through the nearest point found: separated.
    if (along[toward] - point.dot(gap) > 1e-9 * gap.norm()) return false;
    if (along[away] - along[toward] < 1e-14) break;
    const Eigen::VectorXd move = runs_.col(toward) - runs_.col(away);
    const double size = std::min(weight[away], -gap.dot(move) / move.squaredNorm());
    weight[toward] += size;
    weight[away] -= size;
    if (weight[away] < 1e-15) weight[away] = 0;
    gap += size * move;
  }
  return gap.squaredNorm() < 1e-8;
}

}  // namespace renth
