#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/sensitivity/averages.hpp>
#include <renth/space/region.hpp>

namespace renth {

Average average_over_region(const Space& space, const Surrogate& surrogate, Eigen::Index output,
                            const std::vector<std::pair<Eigen::Index, double>>& held, double level) {
  // Spread over the box: a point that a limit forbids as it is may be allowed with the held values.
  Eigen::MatrixXd points = region_points(Space(space.parameters()), 256);
  std::vector<Eigen::Index> allowed;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    for (const auto& [parameter, value] : held) points(i, parameter) = value;
    if (space.allows(points.row(i).transpose())) allowed.push_back(i);
  }
  constexpr double nothing = std::numeric_limits<double>::quiet_NaN();
  if (allowed.empty()) return {nothing, nothing, nothing};
  const Eigen::MatrixXd at = points(allowed, Eigen::all);
  const Prediction p = surrogate.predict(at);
  const double mean = p.mean.col(output).mean();
  const double sd = std::sqrt(std::max(surrogate.covariance(at, output).mean(), 0.0));
  const double width = student_t_width(level, p.degrees_of_freedom) * sd;
  return {mean, mean - width, mean + width};
}

}  // namespace renth
