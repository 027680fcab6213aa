#include <algorithm>
#include <cmath>
#include <renth/sensitivity/ranking.hpp>

namespace renth {

const Measure& measure_of(const RankedParameter& parameter, std::string_view key) {
  return *std::find_if(parameter.measures.begin(), parameter.measures.end(),
                       [&](const Measure& m) { return m.key == key; });
}

std::string direction_of(const std::vector<double>& curve) {
  double up = 0, down = 0;
  for (std::size_t s = 1; s < curve.size(); ++s)
    (curve[s] > curve[s - 1] ? up : down) += std::abs(curve[s] - curve[s - 1]);
  if (curve.size() < 2) return "mixed";
  if (down <= 0.05 * up) return "up";
  if (up <= 0.05 * down) return "down";
  return "mixed";
}

void sort_by_share(Ranking& ranking) {
  const auto larger = [](const auto& a, const auto& b) {
    return std::isnan(b.share) ? !std::isnan(a.share) : a.share > b.share;
  };
  std::stable_sort(ranking.parameters.begin(), ranking.parameters.end(), larger);
  std::stable_sort(ranking.interactions.begin(), ranking.interactions.end(), larger);
}

}  // namespace renth
