#include <algorithm>
#include <renth/fit/replicates.hpp>
#include <string_view>
#include <unordered_map>

namespace renth {

std::vector<int> replicate_groups(const Data& data) {
  const Eigen::Index d = data.inputs.cols();
  Eigen::MatrixXd keys(d + 1, data.size());  // a column a run
  keys.topRows(d) = data.inputs.transpose();
  keys.row(d).setZero();
  if (data.plots.size() > 0)
    keys.row(d) = data.plots.cast<double>();
  else if (data.blocks.size() > 0)
    keys.row(d) = data.blocks.cast<double>();
  keys.array() += 0.0;  // −0 is 0
  std::unordered_map<std::string_view, int> seen;
  seen.reserve(std::size_t(data.size()));
  std::vector<int> group;
  group.reserve(std::size_t(data.size()));
  for (Eigen::Index i = 0; i < data.size(); ++i) {
    const std::string_view bytes(reinterpret_cast<const char*>(keys.col(i).data()),
                                 sizeof(double) * std::size_t(d + 1));
    group.push_back(seen.emplace(bytes, int(seen.size())).first->second);
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
