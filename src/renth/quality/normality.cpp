#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <limits>
#include <numbers>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/normality.hpp>

namespace renth {
namespace {

using Eigen::Index;
constexpr TestResult undefined_test{std::numeric_limits<double>::quiet_NaN(),
                                    std::numeric_limits<double>::quiet_NaN()};

double polynomial_at(double x, std::initializer_list<double> ascending) {
  double sum = 0, power = 1;
  for (const double c : ascending) sum += c * power, power *= x;
  return sum;
}

/// The weights of the ordered values (n), antisymmetric.
Eigen::VectorXd royston_weights(Index n) {
  Eigen::VectorXd m(n), a(n);
  for (Index i = 0; i < n; ++i) m[i] = normal_quantile((double(i) + 0.625) / (double(n) + 0.25));
  const double total = m.squaredNorm(), u = 1 / std::sqrt(double(n));
  if (n == 3) {
    a << -std::sqrt(0.5), 0, std::sqrt(0.5);
    return a;
  }
  const double last = polynomial_at(u, {0, 0.221157, -0.147981, -2.071190, 4.434685, -2.706056}) +
                      m[n - 1] / std::sqrt(total);
  if (n > 5) {
    const double second = polynomial_at(u, {0, 0.042981, -0.293762, -1.752461, 5.682633, -3.582633}) +
                          m[n - 2] / std::sqrt(total);
    const double phi = (total - 2 * m[n - 1] * m[n - 1] - 2 * m[n - 2] * m[n - 2]) /
                       (1 - 2 * last * last - 2 * second * second);
    a = m / std::sqrt(phi);
    a[1] = -second;
    a[n - 2] = second;
  } else {
    a = m / std::sqrt((total - 2 * m[n - 1] * m[n - 1]) / (1 - 2 * last * last));
  }
  a[0] = -last;
  a[n - 1] = last;
  return a;
}

}  // namespace

TestResult shapiro_wilk(Eigen::VectorXd x) {
  const Index n = x.size();
  if (n < 3 || n > 5000 || !x.allFinite()) return undefined_test;
  std::sort(x.begin(), x.end());
  const double ss = (x.array() - x.mean()).square().sum();
  if (!(x[n - 1] - x[0] > 1e-12 * std::abs(x.mean())) || !(ss > 0)) return undefined_test;
  const double w = std::min(1.0, std::pow(royston_weights(n).dot(x), 2) / ss);
  if (n == 3) {
    const double p = 6 / std::numbers::pi * (std::asin(std::sqrt(w)) - std::asin(std::sqrt(0.75)));
    return {w, std::clamp(p, 0.0, 1.0)};
  }
  double y = std::log(1 - w), mean, sd;
  const double size = double(n), logarithm = std::log(size);
  if (n <= 11) {
    const double gamma = polynomial_at(size, {-2.273, 0.459});
    if (y >= gamma) return {w, 0};
    y = -std::log(gamma - y);
    mean = polynomial_at(size, {0.544, -0.39978, 0.025054, -6.714e-4});
    sd = std::exp(polynomial_at(size, {1.3822, -0.77857, 0.062767, -0.0020322}));
  } else {
    mean = polynomial_at(logarithm, {-1.5861, -0.31082, -0.083751, 0.0038915});
    sd = std::exp(polynomial_at(logarithm, {-0.4803, -0.082676, 0.0030302}));
  }
  return {w, normal_cdf(-(y - mean) / sd)};
}

TestResult anderson_darling(Eigen::VectorXd x) {
  const Index n = x.size();
  if (n < 8 || !x.allFinite()) return undefined_test;
  std::sort(x.begin(), x.end());
  const double mean = x.mean(), sd = std::sqrt((x.array() - mean).square().sum() / double(n - 1));
  if (!(sd > 0)) return undefined_test;
  double sum = 0;
  for (Index i = 0; i < n; ++i) {
    // Tails are floored, so that one wild value gives a large statistic and no infinity.
    const double below = std::max(normal_cdf((x[i] - mean) / sd), 1e-300);
    const double above = std::max(normal_cdf(-(x[n - 1 - i] - mean) / sd), 1e-300);
    sum += double(2 * i + 1) * (std::log(below) + std::log(above));
  }
  const double size = double(n), a = (-size - sum / size) * (1 + 0.75 / size + 2.25 / (size * size));
  double p;
  if (a >= 0.6)
    p = a > 13 ? 0 : std::exp(1.2937 - 5.709 * a + 0.0186 * a * a);
  else if (a > 0.34)
    p = std::exp(0.9177 - 4.279 * a - 1.38 * a * a);
  else if (a > 0.2)
    p = 1 - std::exp(-8.318 + 42.796 * a - 59.938 * a * a);
  else
    p = 1 - std::exp(-13.436 + 101.14 * a - 223.73 * a * a);
  return {a, std::clamp(p, 0.0, 1.0)};
}

}  // namespace renth
