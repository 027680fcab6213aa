#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/kernels.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/spread.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Points and how near the nearest run is to each, as runs are put one after another.
class Pool {
 public:
  /// \param features  m × f.
  explicit Pool(const Eigen::MatrixXd& features)
      : features_(features),
        room_(Eigen::VectorXd::Constant(features.rows(), std::numeric_limits<double>::infinity())) {
    const Eigen::RowVectorXd middle = features.colwise().mean();
    (features.rowwise() - middle).rowwise().squaredNorm().minCoeff(&farthest_);
  }

  /// The point that is farthest from its nearest run; before there is one that nearest to the middle.
  Index farthest() const { return farthest_; }
  /// \param run  f features.
  void put(const Eigen::VectorXd& run) {
    const double most =
        kernels::bring_nearer(run.data(), features_.data(), std::size_t(features_.rows()),
                              std::size_t(features_.cols()), std::size_t(features_.rows()), room_.data());
    farthest_ = Index(std::find(room_.data(), room_.data() + room_.size(), most) - room_.data());
  }

 private:
  const Eigen::MatrixXd& features_;
  Eigen::VectorXd room_;
  Index farthest_ = 0;
};

/// The runs that exist and those being placed, as features ((m + n) × f).
class Places {
 public:
  Places(const Space& space, const Eigen::MatrixXd& existing, int runs)
      : space_(space), fixed_(existing.rows()) {
    f_.resize(fixed_ + runs, Eigen::Index(feature_parameters(space).size()));
    if (fixed_ > 0) f_.topRows(fixed_) = features(space, existing);
    points_.resize(runs, space.size());
  }
  Eigen::VectorXd feature(const Eigen::VectorXd& point) const {
    return features(space_, point.transpose()).transpose();
  }
  void put(Index i, const Eigen::VectorXd& point) {
    points_.row(i) = point;
    f_.row(fixed_ + i) = feature(point).transpose();
  }
  /// Distance from a point to the nearest of the runs that exist and those placed, without one; any that is
  /// no more than `enough` as soon as there is one.
  double nearest(const Eigen::VectorXd& f, Index without, double enough) const {
    constexpr Index block = 256;
    double squared[block], least = std::numeric_limits<double>::infinity();
    for (Index at = 0; at < f_.rows() && !(least <= enough * enough); at += block) {
      const Index count = std::min(block, f_.rows() - at), left_out = fixed_ + without - at;
      kernels::squared_distances(f.data(), f_.data() + at, std::size_t(f_.rows()), std::size_t(f_.cols()),
                                 std::size_t(count), squared);
      if (left_out >= 0 && left_out < count) squared[left_out] = std::numeric_limits<double>::infinity();
      least = std::min(least, Eigen::Map<const Eigen::ArrayXd>(squared, count).minCoeff());
    }
    return std::sqrt(least);
  }
  /// What is made large: the distance to the nearest run, and twice that to a face of the box, weakly. Where
  /// it is not above `enough`, any such value.
  double room(const Eigen::VectorXd& point, Index without, double enough) const {
    const double distance = nearest(feature(point), without, enough);
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
  double best = places.room(point, i, 0);
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
    const double value = places.room(there, i, best);
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
  const Eigen::MatrixXd pool_features = features(space, pool);
  Pool left(pool_features);
  const Eigen::MatrixXd there = o.existing.rows() > 0 ? features(space, o.existing) : Eigen::MatrixXd();
  for (Index i = 0; i < there.rows(); ++i) left.put(there.row(i).transpose());
  for (int i = 0; i < runs; ++i) {
    const Index chosen = left.farthest();
    places.put(i, pool.row(chosen).transpose());
    left.put(pool_features.row(chosen).transpose());
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
