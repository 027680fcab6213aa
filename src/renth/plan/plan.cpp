#include <algorithm>
#include <renth/plan/plan.hpp>
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

}  // namespace renth
