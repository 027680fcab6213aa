// Which share of a sample is in specification. Header-only: a page asks it at every move.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cstdint>
#include <map>
#include <vector>

namespace renth {

/// Shares of a sample, from 0 to 1.
struct SpecificationShares {
  double all = 0;              ///< every limit holds
  std::vector<double> single;  ///< of each limit: it holds, whatever the others do
  /// Limits that are broken together, the most frequent first.
  struct Together {
    std::vector<std::size_t> limits;
    double share = 0;
  };
  std::vector<Together> broken;
};

/// \param margins  m × l, of each sample and limit; ≥ 0 holds, NaN (undefined there) does not.
inline SpecificationShares shares_in_specification(const Eigen::MatrixXd& margins) {
  const Eigen::Index m = margins.rows(), l = margins.cols();
  SpecificationShares out;
  out.single.assign(std::size_t(l), 0);
  std::map<std::vector<std::size_t>, std::int64_t> broken;
  std::int64_t all = 0;
  std::vector<std::size_t> here;
  for (Eigen::Index i = 0; i < m; ++i) {
    here.clear();
    for (Eigen::Index k = 0; k < l; ++k) {
      if (margins(i, k) >= 0)
        ++out.single[std::size_t(k)];
      else
        here.push_back(std::size_t(k));
    }
    if (here.empty())
      ++all;
    else
      ++broken[here];
  }
  const double size = double(std::max<Eigen::Index>(1, m));
  out.all = double(all) / size;
  for (double& share : out.single) share /= size;
  for (const auto& [limits, count] : broken) out.broken.push_back({limits, double(count) / size});
  std::stable_sort(out.broken.begin(), out.broken.end(),
                   [](const auto& a, const auto& b) { return a.share > b.share; });
  return out;
}

}  // namespace renth
