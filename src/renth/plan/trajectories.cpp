#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/trajectories.hpp>
#include <set>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The values that a parameter takes on paths: four evenly spread ones, fewer if it has no more.
std::vector<double> values_of(const Parameter& p) {
  constexpr int usual = 4;
  std::set<double> out;
  const int settable = p.settable_count();
  if (p.is_choice() || (settable > 0 && settable <= usual)) {
    for (int i = 0; i < settable; ++i) out.insert(p.settable(i));
  } else {
    for (int i = 0; i < usual; ++i) {
      const double place = double(i) / (usual - 1);
      out.insert(settable > 0 ? p.settable(int(std::lround(place * (settable - 1))))
                              : p.low + place * (p.high - p.low));
    }
  }
  return {out.begin(), out.end()};
}

class Paths {
 public:
  explicit Paths(const Space& space) : space_(space) {
    for (const Parameter& p : space.parameters()) values_.push_back(values_of(p));
  }

  /// One path that obeys the limits, d + 1 × d; none if the tries end somewhere without a way on.
  std::optional<Eigen::MatrixXd> draw(Stream stream) const {
    for (int attempt = 0; attempt < 300; ++attempt) {
      Eigen::VectorXd at(space_.size());
      for (Index j = 0; j < space_.size(); ++j) at[j] = values_[j][stream.below(values_[j].size())];
      if (!space_.allows(at)) continue;
      Eigen::MatrixXd path(space_.size() + 1, space_.size());
      path.row(0) = at;
      std::vector<int> left = stream.permutation(int(space_.size()));
      Index row = 1;
      for (bool moved = true; moved && !left.empty();) {
        moved = false;
        for (auto j = left.begin(); j != left.end() && !moved; ++j)
          moved = step(*j, at, stream) && (left.erase(j), true);
        if (moved) path.row(row++) = at;
      }
      if (left.empty()) return path;
    }
    return {};
  }

 private:
  /// Changes one parameter if a change is allowed.
  bool step(int j, Eigen::VectorXd& at, Stream& stream) const {
    const std::vector<double>& values = values_[std::size_t(j)];
    const int half = std::max(1, int(values.size()) / 2);
    const auto here = int(std::find(values.begin(), values.end(), at[j]) - values.begin());
    std::vector<double> ways;
    for (int k = 0; k < int(values.size()); ++k)
      if (space_[j].is_choice() ? k != here : std::abs(k - here) == half)
        ways.push_back(values[std::size_t(k)]);
    for (const int k : stream.permutation(int(ways.size()))) {
      Eigen::VectorXd next = at;
      next[j] = ways[std::size_t(k)];
      if (!space_.allows(next)) continue;
      at = next;
      return true;
    }
    return false;
  }

  const Space& space_;
  std::vector<std::vector<double>> values_;
};

/// Distances between all points of two paths, summed, in the unit cube; different labels are one apart.
double distance(const Space& space, const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  double sum = 0;
  for (Index i = 0; i < a.rows(); ++i)
    for (Index k = 0; k < b.rows(); ++k) {
      double squared = 0;
      for (Index j = 0; j < a.cols(); ++j) {
        const double step = space[j].is_choice() ? double(a(i, j) != b(k, j))
                                                 : (a(i, j) - b(k, j)) / (space[j].high - space[j].low);
        squared += step * step;
      }
      sum += std::sqrt(squared);
    }
  return sum;
}

/// As many paths as are wanted with a large sum of distances: greedily, then by exchanges that gain.
std::vector<Index> far_apart(const Eigen::MatrixXd& distances, Index wanted) {
  const Index all = distances.rows();
  std::vector<Index> chosen;
  Eigen::VectorXd gain = distances.rowwise().sum();
  std::vector<bool> in(static_cast<std::size_t>(all), false);
  const auto best_outside = [&] {
    Index best = -1;
    for (Index k = 0; k < all; ++k)
      if (!in[std::size_t(k)] && (best < 0 || gain[k] > gain[best])) best = k;
    return best;
  };
  while (Index(chosen.size()) < wanted) {
    const Index k = best_outside();
    if (chosen.empty()) gain.setZero();
    chosen.push_back(k);
    in[std::size_t(k)] = true;
    gain += distances.col(k);
  }
  for (bool better = true; better && wanted < all;) {
    better = false;
    for (Index& member : chosen) {
      Index best = -1;
      double most =
          gain[member] * (1 + 1e-12);  // what it adds; a newcomer's misses its distance to the leaver
      for (Index k = 0; k < all; ++k)
        if (!in[std::size_t(k)] && gain[k] - distances(k, member) > most) {
          most = gain[k] - distances(k, member);
          best = k;
        }
      if (best < 0) continue;
      gain += distances.col(best) - distances.col(member);
      in[std::size_t(member)] = false;
      in[std::size_t(best)] = true;
      member = best;
      better = true;
    }
  }
  std::sort(chosen.begin(), chosen.end());
  return chosen;
}

}  // namespace

Plan trajectories(const Space& space, int runs, Seed seed) {
  const Index d = space.size(), length = d + 1;
  if (runs > 0 && runs < length)
    throw Error(fmt::format("{} run{} make no path: {} parameters take {} runs a path", runs,
                            runs == 1 ? "" : "s", d, length),
                "plan trajectories", fmt::format("use `runs={}` or more; ten paths are usual", length));
  const Index wanted = runs > 0 ? runs / length : 10,
              drawn = wanted > 100 ? wanted : std::max<Index>(100, 2 * wanted);
  const Paths paths(space);
  std::vector<std::optional<Eigen::MatrixXd>> found(static_cast<std::size_t>(drawn));
  parallel_for(drawn, [&](std::int64_t k) {
    found[std::size_t(k)] = paths.draw(Stream(seed, "trajectories", std::uint64_t(k)));
  });
  std::erase_if(found, [](const auto& path) { return !path; });
  const auto there = Index(found.size());
  if (there < wanted)
    throw Error("the limits leave hardly any path on which every parameter changes once", "plan trajectories",
                "use spread, which follows the limits, and rank by effects or by a surrogate");
  Eigen::MatrixXd distances = Eigen::MatrixXd::Zero(there, there);
  if (there > wanted)
    parallel_for(there, [&](std::int64_t a) {
      for (Index b = 0; b < there; ++b)
        if (b != a) distances(b, a) = distance(space, *found[std::size_t(a)], *found[std::size_t(b)]);
    });
  Eigen::MatrixXd points(wanted * length, d);
  Index row = 0;
  for (const Index k : far_apart(distances, wanted)) {
    points.middleRows(row, length) = *found[std::size_t(k)];
    row += length;
  }
  Plan plan = make_plan(std::move(points), "trajectory", "trajectories", seed);
  plan.options = {{"runs", std::to_string(wanted * length)}};
  plan.next = std::uint64_t(wanted * length);
  plan.notes.push_back(fmt::format("{} path{} of {} runs", wanted, wanted == 1 ? "" : "s", length));
  if (wanted == 1) plan.notes.push_back("one path tells no spread: ten are usual");
  return plan;
}

}  // namespace renth
