#include <cmath>
#include <renth/numeric/distributions.hpp>
#include <renth/space/scatter.hpp>

namespace renth {

double scatter_quantile(const Scatter& scatter, double setting, double u) {
  const double size = scatter.relative ? scatter.size * std::abs(setting) : scatter.size;
  switch (scatter.shape) {
    case Scatter::Shape::none:
      return setting;
    case Scatter::Shape::normal:
      return setting + size * normal_quantile(u);
    case Scatter::Shape::uniform:
      return setting + size * (2 * u - 1);
    case Scatter::Shape::triangular:  // the sum of two uniforms
      return setting + size * (u < 0.5 ? std::sqrt(2 * u) - 1 : 1 - std::sqrt(2 * (1 - u)));
    case Scatter::Shape::lognormal:
      return setting * std::exp(std::sqrt(std::log1p(scatter.size * scatter.size)) * normal_quantile(u));
  }
  return setting;
}

}  // namespace renth
