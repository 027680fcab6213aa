#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <renth/search/sorted_population.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Indices by rank: first those that nothing dominates, then those that only these do, and so on.
std::vector<std::vector<std::size_t>> ranks(const std::vector<Contender>& all) {
  const std::size_t n = all.size();
  std::vector<std::vector<std::size_t>> dominated(n), out(1);
  std::vector<int> dominators(n, 0);
  for (std::size_t a = 0; a < n; ++a)
    for (std::size_t b = 0; b < a; ++b) {
      if (dominates(all[a], all[b]))
        dominated[a].push_back(b), ++dominators[b];
      else if (dominates(all[b], all[a]))
        dominated[b].push_back(a), ++dominators[a];
    }
  for (std::size_t a = 0; a < n; ++a)
    if (dominators[a] == 0) out[0].push_back(a);
  while (!out.back().empty()) {
    std::vector<std::size_t> next;
    for (const std::size_t a : out.back())
      for (const std::size_t b : dominated[a])
        if (--dominators[b] == 0) next.push_back(b);
    std::sort(next.begin(), next.end());
    out.push_back(std::move(next));
  }
  out.pop_back();
  return out;
}

/// How far the neighbours of each are apart, summed over objectives; ∞ at the ends.
std::vector<double> crowding(const std::vector<Contender>& all, const std::vector<std::size_t>& of) {
  std::vector<double> out(of.size(), 0);
  const Index goals = all[of[0]].objectives.size();
  std::vector<std::size_t> order(of.size());
  for (Index g = 0; g < goals; ++g) {
    std::iota(order.begin(), order.end(), std::size_t(0));
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return all[of[a]].objectives[g] < all[of[b]].objectives[g];
    });
    const double width = all[of[order.back()]].objectives[g] - all[of[order.front()]].objectives[g];
    out[order.front()] = out[order.back()] = std::numeric_limits<double>::infinity();
    for (std::size_t i = 1; i + 1 < order.size() && width > 0; ++i)
      out[order[i]] += (all[of[order[i + 1]]].objectives[g] - all[of[order[i - 1]]].objectives[g]) / width;
  }
  return out;
}

/// Of two objectives: the one without which least of the area is lost goes, until `count` are left.
std::vector<Contender> by_area(std::vector<Contender> all, std::size_t count) {
  std::stable_sort(all.begin(), all.end(),
                   [](const Contender& a, const Contender& b) { return a.objectives[0] < b.objectives[0]; });
  const ObjectiveRange range(all);
  while (all.size() > count && all.size() > 2) {
    std::size_t least = 1;
    double area = std::numeric_limits<double>::infinity();
    for (std::size_t i = 1; i + 1 < all.size(); ++i) {
      const Eigen::VectorXd here = range.scaled(all[i].objectives),
                            before = range.scaled(all[i - 1].objectives),
                            after = range.scaled(all[i + 1].objectives);
      const double own = (after[0] - here[0]) * (before[1] - here[1]);
      if (own < area) area = own, least = i;
    }
    all.erase(all.begin() + std::ptrdiff_t(least));
  }
  return all;
}

}  // namespace

bool dominates(const Contender& a, const Contender& b) {
  if (a.violation != b.violation) return a.violation < b.violation;
  bool better = false;
  for (Index g = 0; g < a.objectives.size(); ++g) {
    if (a.objectives[g] > b.objectives[g]) return false;
    better = better || a.objectives[g] < b.objectives[g];
  }
  return better;
}

std::vector<Contender> non_dominated(const std::vector<Contender>& all) {
  std::vector<Contender> out;
  for (std::size_t i = 0; i < all.size(); ++i) {
    bool stays = true;
    for (std::size_t j = 0; j < all.size() && stays; ++j)
      stays = j == i || !(dominates(all[j], all[i]) || (j < i && all[j].objectives == all[i].objectives));
    if (stays) out.push_back(all[i]);
  }
  return out;
}

std::vector<Contender> survivors(std::vector<Contender> all, std::size_t count) {
  std::vector<Contender> out;
  for (const std::vector<std::size_t>& rank : ranks(all)) {
    const std::vector<double> apart = crowding(all, rank);
    std::vector<std::size_t> order(rank.size());
    std::iota(order.begin(), order.end(), std::size_t(0));
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return apart[a] > apart[b]; });
    for (const std::size_t i : order) {
      if (out.size() == count) return out;
      out.push_back(std::move(all[rank[i]]));
    }
  }
  return out;
}

ObjectiveRange::ObjectiveRange(const std::vector<Contender>& of)
    : low(of.front().objectives), high(of.front().objectives) {
  for (const Contender& c : of) {
    low = low.cwiseMin(c.objectives);
    high = high.cwiseMax(c.objectives);
  }
}

std::vector<Contender> evenly(std::vector<Contender> all, std::size_t count) {
  if (all.size() <= count) return all;
  if (all.front().objectives.size() == 2) return by_area(std::move(all), count);
  const ObjectiveRange range(all);
  std::vector<Eigen::VectorXd> at;
  for (const Contender& c : all) at.push_back(range.scaled(c.objectives));
  std::vector<std::size_t> taken;
  std::vector<double> distance(all.size(), std::numeric_limits<double>::infinity());
  const auto take = [&](std::size_t i) {
    taken.push_back(i);
    for (std::size_t k = 0; k < all.size(); ++k) distance[k] = std::min(distance[k], (at[k] - at[i]).norm());
  };
  for (Index g = 0; g < range.low.size() && taken.size() < count; ++g) {
    std::size_t best = 0;
    for (std::size_t k = 1; k < all.size(); ++k)
      if (at[k][g] < at[best][g]) best = k;
    if (distance[best] > 0) take(best);
  }
  while (taken.size() < count)
    take(std::size_t(std::max_element(distance.begin(), distance.end()) - distance.begin()));
  std::vector<Contender> out;
  for (const std::size_t i : taken) out.push_back(std::move(all[i]));
  return out;
}

}  // namespace renth
