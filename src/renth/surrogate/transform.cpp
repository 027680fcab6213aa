#include <cmath>
#include <limits>
#include <renth/surrogate/transform.hpp>

namespace renth {

double Transform::forward(double y) const {
  if (none()) return y;
  return lambda == 0 ? std::log(y) : std::expm1(lambda * std::log(y)) / lambda;
}

double Transform::back(double z) const {
  if (none()) return z;
  if (lambda == 0) return std::exp(z);
  const double power = lambda * z;
  if (power <= -1) return lambda > 0 ? 0 : std::numeric_limits<double>::infinity();
  return std::exp(std::log1p(power) / lambda);
}

double Transform::slope(double y) const {
  return none() ? 1 : std::pow(y, 1 - lambda);
}

}  // namespace renth
