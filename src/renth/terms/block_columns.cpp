#include <algorithm>
#include <renth/terms/block_columns.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

BlockColumns::BlockColumns(const Eigen::VectorXi& blocks) {
  std::vector<int> distinct(blocks.begin(), blocks.end());
  std::sort(distinct.begin(), distinct.end());
  distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  if (distinct.size() < 2) return;
  for (const int b : blocks)
    of_run.push_back(int(std::lower_bound(distinct.begin(), distinct.end(), b) - distinct.begin()));
  contrasts = renth::contrasts(int(distinct.size()));
}

}  // namespace renth
