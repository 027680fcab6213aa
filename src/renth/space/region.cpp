#include <algorithm>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/numeric/sobol_sequence.hpp>
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

namespace {

/// The smallest margin; as bad as can be where a limit is undefined.
double margin_at(const Space& space, const Eigen::VectorXd& point) {
  double least = std::numeric_limits<double>::infinity();
  for (const Limit& limit : space.limits()) least = std::min(least, margin_or_worst(limit, point));
  return least;
}

/// Steps along one parameter at a time, to the next value that can be set or by a part of the span, halved
/// when none helps.
NearestAllowed climbed(const Space& space, NearestAllowed from) {
  double part = 0.25;
  while (part > 1e-12 && from.margin < 0) {
    NearestAllowed best = from;
    for (Eigen::Index j = 0; j < space.size(); ++j) {
      const Parameter& p = space[j];
      std::vector<double> values;
      if (p.is_between()) {
        values = {std::min(p.high, from.point[j] + part * (p.high - p.low)),
                  std::max(p.low, from.point[j] - part * (p.high - p.low))};
      } else {
        for (int i = 0; i < p.settable_count(); ++i) values.push_back(p.settable(i));
      }
      for (const double value : values) {
        NearestAllowed next = from;
        next.point[j] = value;
        next.margin = margin_at(space, next.point);
        if (next.margin > best.margin) best = next;
      }
    }
    if (best.margin > from.margin)
      from = best;
    else
      part /= 2;
  }
  return from;
}

}  // namespace

NearestAllowed nearest_allowed(const Space& space, Seed seed) {
  constexpr int tries = 20'000;
  constexpr std::size_t starts = 30;
  std::vector<NearestAllowed> found = {{space.nominal(), margin_at(space, space.nominal())}};
  const auto better = [](const NearestAllowed& a, const NearestAllowed& b) { return a.margin > b.margin; };
  Stream stream(seed, "nearest allowed");
  for (int i = 0; i < tries && found.front().margin < 0; ++i) {
    NearestAllowed one;
    one.point = draw(space, Values::physical, stream);
    one.margin = margin_at(space, one.point);
    if (found.size() == starts && one.margin <= found.back().margin) continue;
    found.insert(std::upper_bound(found.begin(), found.end(), one, better), one);
    if (found.size() > starts) found.pop_back();
  }
  NearestAllowed best = found.front();
  for (std::size_t s = 0; s < found.size() && best.margin < 0; ++s)
    if (NearestAllowed one = climbed(space, found[s]); one.margin > best.margin) best = std::move(one);
  return best;
}

double feasible_share(const Space& space, Seed seed) {
  if (space.limits().empty()) return 1;
  constexpr int tries = 20'000;
  Stream stream(seed, "feasible share");
  int held = 0;
  for (int i = 0; i < tries; ++i) held += space.allows(draw(space, Values::physical, stream));
  return static_cast<double>(held) / tries;
}

}  // namespace renth
