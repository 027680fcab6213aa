#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/lenth.hpp>
#include <vector>

namespace renth {
namespace {

double median_of(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  const std::size_t half = v.size() / 2;
  return v.size() % 2 ? v[half] : 0.5 * (v[half - 1] + v[half]);
}

}  // namespace

Lenth lenth(const Eigen::VectorXd& effects, double level) {
  constexpr double nothing = std::numeric_limits<double>::quiet_NaN();
  const double m = double(effects.size());
  if (m < 3) return {nothing, nothing, nothing, nothing};
  std::vector<double> sizes, small;
  for (const double e : effects) sizes.push_back(std::abs(e));
  const double first = 1.5 * median_of(sizes);
  for (const double s : sizes)
    if (s < 2.5 * first) small.push_back(s);
  Lenth out;
  out.pseudo_error = small.empty() ? 0 : 1.5 * median_of(small);
  out.degrees_of_freedom = m / 3;
  out.margin = student_t_width(level, m / 3) * out.pseudo_error;
  out.simultaneous_margin = student_t_width(std::pow(level, 1 / m), m / 3) * out.pseudo_error;
  return out;
}

}  // namespace renth
