#include <algorithm>
#include <numeric>
#include <renth/sensitivity/ranks.hpp>

namespace renth {

std::vector<Eigen::Index> ascending(const Eigen::VectorXd& values) {
  std::vector<Eigen::Index> order(static_cast<std::size_t>(values.size()));
  std::iota(order.begin(), order.end(), Eigen::Index{0});
  std::stable_sort(order.begin(), order.end(),
                   [&](Eigen::Index a, Eigen::Index b) { return values[a] < values[b]; });
  return order;
}

Eigen::VectorXd average_ranks(const Eigen::VectorXd& values) {
  const std::vector<Eigen::Index> order = ascending(values);
  Eigen::VectorXd out(values.size());
  for (std::size_t from = 0; from < order.size();) {
    std::size_t to = from + 1;
    while (to < order.size() && values[order[to]] == values[order[from]]) ++to;
    for (std::size_t k = from; k < to; ++k) out[order[k]] = 0.5 * double(from + 1 + to);
    from = to;
  }
  return out;
}

}  // namespace renth
