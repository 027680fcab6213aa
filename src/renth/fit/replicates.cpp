#include <algorithm>
#include <map>
#include <renth/fit/replicates.hpp>

namespace renth {

std::vector<int> replicate_groups(const Data& data) {
  std::map<std::vector<double>, int> seen;
  std::vector<int> group;
  for (Eigen::Index i = 0; i < data.size(); ++i) {
    std::vector<double> key(data.inputs.cols() + 1, data.plots.size() > 0    ? data.plots[i]
                                                    : data.blocks.size() > 0 ? data.blocks[i]
                                                                             : 0);
    for (Eigen::Index j = 0; j < data.inputs.cols(); ++j) key[j] = data.inputs(i, j);
    group.push_back(seen.emplace(std::move(key), static_cast<int>(seen.size())).first->second);
  }
  return group;
}

int group_count(const std::vector<int>& groups) {
  return groups.empty() ? 0 : 1 + *std::max_element(groups.begin(), groups.end());
}

PureError pure_error(const Data& data, const Eigen::VectorXd& y, const Eigen::VectorXd& root) {
  const std::vector<int> group = replicate_groups(data);
  const int groups = group_count(group);
  std::vector<long double> sum(std::size_t(groups), 0), weight(std::size_t(groups), 0);
  for (std::size_t i = 0; i < group.size(); ++i) {
    const long double w = root[Eigen::Index(i)] * root[Eigen::Index(i)];
    sum[std::size_t(group[i])] += w * y[Eigen::Index(i)];
    weight[std::size_t(group[i])] += w;
  }
  long double ss = 0;
  for (std::size_t i = 0; i < group.size(); ++i) {
    const auto g = std::size_t(group[i]);
    const long double e = root[Eigen::Index(i)] * (y[Eigen::Index(i)] - sum[g] / weight[g]);
    ss += e * e;
  }
  return {double(ss), int(group.size()) - groups};
}

}  // namespace renth
