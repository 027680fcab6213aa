#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/random.hpp>
#include <renth/plan/spread.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The runs that exist and those being placed, as features (f × (m + n)).
class Places {
 public:
  Places(const Space& space, const Eigen::MatrixXd& existing, int runs)
      : space_(space), fixed_(existing.rows()) {
    f_.resize(Eigen::Index(feature_parameters(space).size()), fixed_ + runs);
    if (fixed_ > 0) f_.leftCols(fixed_) = features(space, existing).transpose();
    points_.resize(runs, space.size());
  }
  Eigen::VectorXd feature(const Eigen::VectorXd& point) const {
    return features(space_, point.transpose()).transpose();
  }
  void put(Index i, const Eigen::VectorXd& point) {
    points_.row(i) = point;
    f_.col(fixed_ + i) = feature(point);
  }
  /// Distance from a point to the nearest of the runs that exist and those placed, without one.
  double nearest(const Eigen::VectorXd& f, Index without) const {
    double least = std::numeric_limits<double>::infinity();
    for (Index k = 0; k < f_.cols(); ++k)
      if (k != fixed_ + without) least = std::min(least, (f_.col(k) - f).squaredNorm());
    return std::sqrt(least);
  }
  /// What is made large: the distance to the nearest run, and twice that to a face of the box, weakly.
  double room(const Eigen::VectorXd& point, Index without) const {
    const double distance = nearest(feature(point), without);
    double face = std::numeric_limits<double>::infinity();
    for (Index j = 0; j < space_.size(); ++j) {
      const Parameter& p = space_[j];
      if (p.is_discrete()) continue;
      const double u = (point[j] - p.low) / (p.high - p.low);
      face = std::min(face, 2 * std::min(u, 1 - u));
    }
    return std::min(distance, 0.5 * distance + face);
  }
  const Eigen::MatrixXd& points() const { return points_; }

 private:
  const Space& space_;
  Index fixed_;
  Eigen::MatrixXd f_, points_;
};

/// Moves one run if a few places near it, or one anywhere, have more room.
void improve(const Space& space, const Eigen::MatrixXd& pool, double reach, Index i, Stream& stream,
             Places& places) {
  Eigen::VectorXd point = places.points().row(i);
  double best = places.room(point, i);
  bool moved = false;
  for (int k = 0; k < 4; ++k) {
    Eigen::VectorXd there =
        k == 0 ? Eigen::VectorXd(pool.row(Index(stream.below(std::uint64_t(pool.rows()))))) : point;
    if (k > 0)
      for (Index j = 0; j < space.size(); ++j) {
        const Parameter& p = space[j];
        const double u = stream.uniform();
        if (p.is_choice()) {
          if (u < 0.1) there[j] = space.from_unit(j, stream.uniform(), true);
        } else {
          const double width =
              std::max(reach, p.is_discrete() ? 0.75 / std::max(1, p.settable_count() - 1) : 0.0);
          there[j] = p.snap(there[j] + (2 * u - 1) * width * (p.high - p.low));
        }
      }
    if (!space.allows(there)) continue;
    const double value = places.room(there, i);
    if (value > best) {
      best = value;
      point = there;
      moved = true;
    }
  }
  if (moved) places.put(i, point);
}

}  // namespace

Plan spread(const Space& space, const SpreadOptions& o, Seed seed) {
  const int runs = o.runs > 0 ? o.runs : suggested_runs(space);
  const Index pool_size = std::max<Index>(8000, 8 * runs);
  const Eigen::MatrixXd pool = sample_region(space, pool_size, Values::settable, seed, "spread pool");
  Places places(space, o.existing, runs);
  const Eigen::MatrixXd pool_features = features(space, pool).transpose();
  Eigen::VectorXd room = Eigen::VectorXd::Constant(pool_size, std::numeric_limits<double>::infinity());
  if (o.existing.rows() > 0) {
    const Eigen::MatrixXd there = features(space, o.existing).transpose();
    for (Index k = 0; k < pool_size; ++k)
      room[k] = (there.colwise() - pool_features.col(k)).colwise().squaredNorm().minCoeff();
  }
  for (int i = 0; i < runs; ++i) {
    Index chosen = 0;
    if (std::isinf(room[0]))
      (pool_features.colwise() - pool_features.rowwise().mean()).colwise().squaredNorm().minCoeff(&chosen);
    else
      room.maxCoeff(&chosen);
    places.put(i, pool.row(chosen).transpose());
    room = room.cwiseMin(
        (pool_features.colwise() - pool_features.col(chosen)).colwise().squaredNorm().transpose());
  }

  Stream stream(seed, "spread moves");
  const Index d = space.size();
  const double wide = std::pow(1.0 / runs, 1.0 / double(d));
  const int rounds = int(std::clamp(3e7 / (double(runs + o.existing.rows()) * runs), 4.0, 200.0));
  for (int round = 0; round < rounds; ++round) {
    const double reach = wide * std::pow(0.02, double(round) / rounds);
    for (Index i = 0; i < runs; ++i) {
      improve(space, pool, reach, i, stream, places);
    }
  }
  Plan plan = make_plan(places.points(), "fill", "spread", seed);
  plan.options = {{"runs", std::to_string(runs)}};
  plan.next = std::uint64_t(runs);
  return plan;
}

}  // namespace renth
