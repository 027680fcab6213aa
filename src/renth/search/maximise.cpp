#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/search/landscape.hpp>
#include <renth/space/features.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

void check_holds(const Space& space, const MaximiseOptions& options) {
  for (Index j = 0; j < space.size() && !options.hold.empty(); ++j) {
    if (!options.hold[std::size_t(j)]) continue;
    const Parameter& p = space[j];
    const double value = *options.hold[std::size_t(j)];
    if (p.is_choice() ? value >= 0 && value < double(p.choices.size()) : value >= p.low && value <= p.high) {
      if (!options.settable || std::abs(p.snap(value) - value) <= 1e-9 * std::abs(value)) continue;
      throw Error(fmt::format("{} cannot be held at {}", p.name, value), "hold",
                  fmt::format("the nearest value that can be set is {}", p.snap(value)));
    }
    throw Error(fmt::format("{} cannot be held at {}", p.name, value), "hold",
                fmt::format("its span is {} … {}", p.low, p.high));
  }
}

/// Every setting that there is.
Eigen::MatrixXd all_settings(const Landscape& landscape) {
  const Space& space = landscape.space();
  Eigen::MatrixXd all(Index(landscape.discrete_settings()), space.size());
  for (Index i = 0; i < all.rows(); ++i) {
    Eigen::VectorXd point = landscape.held(space.nominal());
    Index rest = i;
    for (const Index j : landscape.discrete()) {
      const int count = space[j].settable_count();
      point[j] = space[j].settable(int(rest % count));
      rest /= count;
    }
    all.row(i) = point;
  }
  return all;
}

/// Where local searches start, best first: candidates that are not close to one another, and of each of few
/// discrete settings the best two.
class Starts {
 public:
  Starts(const Landscape& landscape, const std::vector<Climber>& candidates)
      : landscape_(landscape), candidates_(candidates) {
    Eigen::MatrixXd points(Index(candidates.size()), landscape.space().size());
    for (std::size_t i = 0; i < candidates.size(); ++i) points.row(Index(i)) = candidates[i].point;
    features_ = features(landscape.space(), points);
    taken_.assign(candidates.size(), false);
    std::vector<Index> own;  // steps of a span are near one another: they need no starts of their own
    double settings = 1;
    for (const Index j : landscape.discrete())
      if (!landscape.space()[j].is_between()) {
        own.push_back(j);
        settings *= landscape.space()[j].settable_count();
      }
    if (own.empty() || settings > 32) return;
    std::map<std::vector<double>, int> seen;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      std::vector<double> key;
      for (const Index j : own) key.push_back(candidates[i].point[j]);
      if (++seen[key] <= 2) first_.push_back(i);
    }
  }

  /// At most `most` more; those of discrete settings come with the first.
  std::vector<Climber> next(int most) {
    std::vector<Climber> out;
    for (const std::size_t i : first_) take(i, out);
    first_.clear();
    for (std::size_t i = 0; i < candidates_.size() && int(out.size()) < most; ++i) {
      constexpr double near = 0.1;  // of the cube's edge
      const bool close = std::any_of(places_.begin(), places_.end(), [&](std::size_t s) {
        return (features_.row(Index(i)) - features_.row(Index(s))).norm() < near;
      });
      if (!close) take(i, out);
    }
    return out;
  }

 private:
  void take(std::size_t i, std::vector<Climber>& out) {
    if (taken_[i]) return;
    taken_[i] = true;
    places_.push_back(i);
    out.push_back(candidates_[i]);
  }

  const Landscape& landscape_;
  const std::vector<Climber>& candidates_;
  Eigen::MatrixXd features_;
  std::vector<bool> taken_;
  std::vector<std::size_t> places_, first_;
};

std::vector<Climber> sampled(const Landscape& landscape, const Eigen::MatrixXd& points) {
  std::vector<Climber> out;
  const std::vector<Standing> standings = landscape.at(points);
  for (std::size_t i = 0; i < standings.size(); ++i)
    if (std::isfinite(standings[i].violation))
      out.push_back({points.row(Index(i)).transpose(), standings[i]});
  if (out.empty())
    throw Error("the limits and holds leave no setting at all", "search", "loosen a limit, or hold less");
  std::stable_sort(out.begin(), out.end(), better);
  return out;
}

/// The best of the sample and some of the rest, for evolution.
std::vector<Climber> population(const Landscape& landscape, const std::vector<Climber>& sample) {
  const std::size_t free = landscape.continuous().size() + landscape.discrete().size();
  const std::size_t size = std::min(sample.size(), std::clamp<std::size_t>(12 * free, 40, 120));
  std::vector<Climber> out;
  for (std::size_t i = 0; i < size; ++i) out.push_back(sample[i < size / 3 ? i : i * sample.size() / size]);
  return out;
}

Eigen::MatrixXd with_holds(const Landscape& landscape, Eigen::MatrixXd points) {
  for (Index i = 0; i < points.rows(); ++i)
    points.row(i) = landscape.held(points.row(i).transpose()).transpose();
  return points;
}

std::vector<Maximum> maxima(std::vector<Climber> ends) {
  std::stable_sort(ends.begin(), ends.end(), better);
  std::vector<Maximum> out;
  for (Climber& c : ends) out.push_back({std::move(c.point), c.standing.value, c.standing.violation});
  return out;
}

}  // namespace

// Thin regions need more points to hit; it stops as soon as enough are allowed.
Eigen::MatrixXd first_points(const Landscape& landscape, int count, Seed seed) {
  const Space& space = landscape.space();
  const MaximiseOptions& options = landscape.options();
  std::vector<Eigen::VectorXd> found;
  const Index chunk = std::max(count, 64);
  for (std::uint64_t at = 0; at < 4'000'000 && int(found.size()) < count; at += std::uint64_t(chunk)) {
    const Eigen::MatrixXd unit = scrambled_sobol_points(chunk, space.size(), seed, "search", at);
    for (Index i = 0; i < unit.rows(); ++i) {
      Eigen::VectorXd point(space.size());
      for (Index j = 0; j < space.size(); ++j) point[j] = space.from_unit(j, unit(i, j), options.settable);
      point = landscape.held(std::move(point));
      if (int(found.size()) < count && space.allows(point)) found.push_back(std::move(point));
    }
  }
  Eigen::MatrixXd out(Index(found.size()), space.size());
  for (std::size_t i = 0; i < found.size(); ++i) out.row(Index(i)) = found[i];
  return out;
}

std::vector<Maximum> maximise(const Space& space, const Aims& aims, const MaximiseOptions& options,
                              Seed seed) {
  check_holds(space, options);
  const Landscape landscape(space, aims, options);
  if (landscape.continuous().empty() && landscape.discrete_settings() <= std::max(20'000, options.samples)) {
    std::vector<Climber> all = sampled(landscape, all_settings(landscape));
    if (int(all.size()) > options.most_starts) all.resize(std::size_t(options.most_starts));
    return maxima(std::move(all));
  }
  std::vector<Climber> candidates =
      sampled(landscape, options.from.rows() > 0 ? with_holds(landscape, options.from)
                                                 : first_points(landscape, options.samples, seed));
  if (options.from.rows() == 0) {
    const std::vector<Climber> evolved = evolve(landscape, population(landscape, candidates), seed);
    candidates.insert(candidates.end(), evolved.begin(), evolved.end());
  }
  std::stable_sort(candidates.begin(), candidates.end(), better);

  Starts starts(landscape, candidates);
  std::vector<Climber> ends;
  while (int(ends.size()) < options.most_starts) {
    const std::vector<Climber> from = starts.next(options.starts);
    std::vector<Climber> found(from.size());
    parallel_for(std::int64_t(from.size()),
                 [&](std::int64_t s) { found[std::size_t(s)] = climb(landscape, from[std::size_t(s)]); });
    std::stable_sort(found.begin(), found.end(), better);
    const bool gained =
        !found.empty() && (ends.empty() || found.front().standing.better_than(ends.front().standing));
    const double gain =
        ends.empty() || !gained ? 0 : found.front().standing.value - ends.front().standing.value;
    const bool is_first = ends.empty();
    ends.insert(ends.end(), found.begin(), found.end());
    std::stable_sort(ends.begin(), ends.end(), better);
    if (from.empty() || (!is_first && (!gained || gain <= 1e-6 * std::abs(ends.front().standing.value))))
      break;
  }
  finish_at_kinks(landscape, ends.front());
  return maxima(std::move(ends));
}

Maximum climb_from(const Space& space, const Aims& aims, const MaximiseOptions& options,
                   const Eigen::VectorXd& start) {
  const Landscape landscape(space, aims, options);
  const Climber end = climb(landscape, {start, landscape.at(start)});
  return {end.point, end.standing.value, end.standing.violation};
}

}  // namespace renth
