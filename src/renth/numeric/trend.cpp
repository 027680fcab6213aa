#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/trend.hpp>
#include <vector>

namespace renth {

Eigen::VectorXd trend(const Eigen::VectorXd& x, const Eigen::VectorXd& y, const Eigen::VectorXd& at) {
  const Eigen::Index n = x.size();
  Eigen::VectorXd out = Eigen::VectorXd::Constant(at.size(), std::numeric_limits<double>::quiet_NaN());
  if (n < 3) return out;
  const auto near = static_cast<std::size_t>(std::max<Eigen::Index>(3, 2 * n / 3)) - 1;
  std::vector<double> distance(static_cast<std::size_t>(n));
  for (Eigen::Index k = 0; k < at.size(); ++k) {
    for (Eigen::Index i = 0; i < n; ++i) distance[std::size_t(i)] = std::abs(x[i] - at[k]);
    std::vector<double> sorted = distance;
    std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(near), sorted.end());
    // A little beyond the last neighbour, so that it counts too.
    const double reach = sorted[near] * 1.001;
    double w = 0, wx = 0, wy = 0, wxx = 0, wxy = 0;
    for (Eigen::Index i = 0; i < n; ++i) {
      if (!(distance[std::size_t(i)] < reach)) continue;
      const double u = distance[std::size_t(i)] / reach, t = std::pow(1 - u * u * u, 3), d = x[i] - at[k];
      w += t, wx += t * d, wy += t * y[i], wxx += t * d * d, wxy += t * d * y[i];
    }
    const double determinant = w * wxx - wx * wx;
    if (determinant > 1e-12 * w * wxx) out[k] = (wxx * wy - wx * wxy) / determinant;
  }
  return out;
}

}  // namespace renth
