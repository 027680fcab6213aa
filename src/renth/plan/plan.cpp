#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/plan/plan.hpp>
#include <renth/space/features.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

Plan make_plan(Eigen::MatrixXd points, std::string origin, std::string method, Seed seed) {
  Plan plan;
  plan.origins.assign(points.rows(), std::move(origin));
  plan.blocks = Eigen::VectorXi::Zero(points.rows());
  plan.points = std::move(points);
  plan.method = std::move(method);
  plan.seed = seed;
  return plan;
}

int suggested_runs(const Space& space) {
  int columns = 0;
  for (const Parameter& p : space.parameters())
    columns += p.is_choice() ? static_cast<int>(p.choices.size()) - 1 : 1;
  // A quadratic in hundreds of parameters is nobody's plan: ten a parameter then.
  const auto terms = columns <= 12 ? static_cast<int>(parse_terms(space, "quadratic").size()) : 0;
  return std::max(10 * columns, (3 * terms + 1) / 2);
}

Evenness evenness(const Space& space, Points points) {
  const Eigen::Index n = points.rows();
  Evenness out;
  if (n < 2) return out;
  const Eigen::MatrixXd f = features(space, points).transpose();
  Eigen::VectorXd nearest = Eigen::VectorXd::Constant(n, std::numeric_limits<double>::infinity());
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j < i; ++j) {
      const double d = (f.col(i) - f.col(j)).norm();
      nearest[i] = std::min(nearest[i], d);
      nearest[j] = std::min(nearest[j], d);
    }
  out.min_distance = nearest.minCoeff();
  out.mean_distance = nearest.mean();
  for (Eigen::Index a = 0; a < space.size(); ++a)
    for (Eigen::Index b = 0; b < a; ++b) {
      if (space[a].is_choice() || space[b].is_choice()) continue;
      const Eigen::ArrayXd x = points.col(a).array() - points.col(a).mean(),
                           y = points.col(b).array() - points.col(b).mean();
      const double r = (x * y).sum() / std::sqrt(x.square().sum() * y.square().sum());
      if (std::isfinite(r)) out.max_abs_correlation = std::max(out.max_abs_correlation, std::abs(r));
    }
  return out;
}

}  // namespace renth
