#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/sensitivity/variance_shares.hpp>

namespace renth {
namespace {

/// The value that a drifting setting stays below with this probability.
double quantile(const Scatter& scatter, double setting, double u) {
  const double size = scatter.relative ? scatter.size * std::abs(setting) : scatter.size;
  switch (scatter.shape) {
    case Scatter::Shape::none:
      return setting;
    case Scatter::Shape::normal:
      return setting + size * normal_quantile(u);
    case Scatter::Shape::uniform:
      return setting + size * (2 * u - 1);
    case Scatter::Shape::triangular:
      return setting + size * (u < 0.5 ? std::sqrt(2 * u) - 1 : 1 - std::sqrt(2 * (1 - u)));
    case Scatter::Shape::lognormal:  // median at the setting; size is the coefficient of variation
      return setting * std::exp(std::sqrt(std::log1p(scatter.size * scatter.size)) * normal_quantile(u));
  }
  return setting;
}

}  // namespace

FromUnit over_the_box(const Space& space) {
  return [&space](Eigen::Index j, double u) { return space.from_unit(j, u, false); };
}

FromUnit under_scatter(const Space& space, const Eigen::VectorXd& at) {
  if (std::none_of(space.parameters().begin(), space.parameters().end(),
                   [](const Parameter& p) { return p.scatter.shape != Scatter::Shape::none; }))
    throw Error("no parameter has scatter", "under scatter",
                "say in study.toml how they drift: scatter = { normal = 0.05 }");
  return [&space, at](Eigen::Index j, double u) { return quantile(space[j].scatter, at[j], u); };
}

}  // namespace renth
