#include <algorithm>
#include <limits>
#include <renth/predict/model.hpp>

namespace renth {

bool Model::has(int response) const {
  const std::vector<int> from = sources_of(problem, response);
  return std::all_of(from.begin(), from.end(), [&](int s) { return parts[std::size_t(s)].has_value(); });
}

int Model::folds(int response) const {
  int fewest = std::numeric_limits<int>::max();
  for (const int s : sources_of(problem, response)) {
    const auto& part = parts[std::size_t(s)];
    fewest = std::min(fewest, part ? int(part->folds.models().size()) : 0);
  }
  return fewest == std::numeric_limits<int>::max() ? 0 : fewest;
}

}  // namespace renth
