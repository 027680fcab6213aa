#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/undefined.hpp>
#include <renth/plan/evenness.hpp>
#include <renth/space/features.hpp>

namespace renth {

using Index = Eigen::Index;

double centred_discrepancy(Points unit) {
  const Index n = unit.rows(), d = unit.cols();
  const Eigen::MatrixXd z = (unit.array().max(0.0).min(1.0) - 0.5).matrix().transpose();
  double single = 0, pairs = 0;
  for (Index i = 0; i < n; ++i) {
    const Eigen::ArrayXd a = z.col(i).array().abs();
    single += (1 + 0.5 * a - 0.5 * a.square()).prod();
    for (Index k = 0; k <= i; ++k) {
      double product = 1;
      for (Index j = 0; j < d; ++j)
        product *= 1 + 0.5 * (a[j] + std::abs(z(j, k)) - std::abs(z(j, i) - z(j, k)));
      pairs += k == i ? product : 2 * product;
    }
  }
  const double count = double(n);
  return std::sqrt(
      std::max(0.0, std::pow(13.0 / 12, double(d)) - 2 / count * single + pairs / (count * count)));
}

Eigen::VectorXd nearest_distances(const Space& space, Points points, Points others) {
  const Eigen::MatrixXd f = features(space, points).transpose(), g = features(space, others).transpose();
  Eigen::VectorXd out(f.cols());
  for (Index i = 0; i < f.cols(); ++i)
    out[i] = g.cols() == 0 ? std::numeric_limits<double>::infinity()
                           : std::sqrt((g.colwise() - f.col(i)).colwise().squaredNorm().minCoeff());
  return out;
}

Evenness evenness(const Space& space, Points points) {
  const Index n = points.rows();
  if (n < 2) return {undefined, undefined, undefined, undefined, undefined};
  Evenness out;
  const Eigen::MatrixXd f = features(space, points).transpose();
  Eigen::VectorXd nearest = Eigen::VectorXd::Constant(n, std::numeric_limits<double>::infinity());
  double sum = 0;
  for (Index i = 0; i < n; ++i)
    for (Index j = 0; j < i; ++j) {
      const double d = (f.col(i) - f.col(j)).norm();
      sum += d;
      nearest[i] = std::min(nearest[i], d);
      nearest[j] = std::min(nearest[j], d);
    }
  out.min_distance = nearest.minCoeff();
  out.mean_distance = sum / (0.5 * double(n) * double(n - 1));
  out.mean_nearest = nearest.mean();
  out.discrepancy = centred_discrepancy(space.to_unit(points));
  for (Index a = 0; a < space.size(); ++a)
    for (Index b = 0; b < a; ++b) {
      if (space[a].is_choice() || space[b].is_choice()) continue;
      const Eigen::ArrayXd x = points.col(a).array() - points.col(a).mean(),
                           y = points.col(b).array() - points.col(b).mean();
      const double r = (x * y).sum() / std::sqrt(x.square().sum() * y.square().sum());
      if (std::isfinite(r)) out.max_abs_correlation = std::max(out.max_abs_correlation, std::abs(r));
    }
  return out;
}

}  // namespace renth
