#include <algorithm>
#include <renth/terms/block_columns.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

std::vector<int> numbered_blocks(const Eigen::VectorXi& blocks) {
  std::vector<int> distinct(blocks.begin(), blocks.end()), out;
  std::sort(distinct.begin(), distinct.end());
  distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  if (distinct.size() < 2) return out;
  for (const int b : blocks)
    out.push_back(int(std::lower_bound(distinct.begin(), distinct.end(), b) - distinct.begin()));
  return out;
}

BlockColumns::BlockColumns(const Eigen::VectorXi& blocks) : of_run(numbered_blocks(blocks)) {
  if (!of_run.empty()) contrasts = renth::contrasts(1 + *std::max_element(of_run.begin(), of_run.end()));
}

}  // namespace renth
