#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/trend.hpp>
#include <vector>

namespace renth {

Eigen::VectorXd trend(const Eigen::VectorXd& x, const Eigen::VectorXd& y, const Eigen::VectorXd& at) {
  const Eigen::Index n = x.size();
  Eigen::VectorXd out = Eigen::VectorXd::Constant(at.size(), std::numeric_limits<double>::quiet_NaN());
  std::vector<double> distinct(x.begin(), x.end());
  std::sort(distinct.begin(), distinct.end());
  distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  if (distinct.size() < 3) return out;
  const std::size_t near = std::max<std::size_t>(3, (2 * distinct.size() + 2) / 3) - 1;
  std::vector<double> distance(distinct.size());
  for (Eigen::Index k = 0; k < at.size(); ++k) {
    for (std::size_t i = 0; i < distinct.size(); ++i) distance[i] = std::abs(distinct[i] - at[k]);
    std::nth_element(distance.begin(), distance.begin() + std::ptrdiff_t(near), distance.end());
    // A little beyond the last neighbour, so that it counts too; where points crowd, no less than a third of
    // all.
    const double reach = std::max(distance[near] * 1.001, (distinct.back() - distinct.front()) / 3);
    double w = 0, wx = 0, wy = 0, wxx = 0, wxy = 0;
    for (Eigen::Index i = 0; i < n; ++i) {
      const double d = x[i] - at[k], u = std::abs(d) / reach, t = std::pow(1 - u * u * u, 3);
      if (!(u < 1)) continue;
      w += t, wx += t * d, wy += t * y[i], wxx += t * d * d, wxy += t * d * y[i];
    }
    const double determinant = w * wxx - wx * wx;
    if (determinant > 1e-12 * w * wxx) out[k] = (wxx * wy - wx * wxy) / determinant;
  }
  return out;
}

}  // namespace renth
