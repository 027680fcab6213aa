#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/error.hpp>
#include <renth/study/expression.hpp>

namespace renth::curve {
namespace {

using Axis = std::vector<double>;

/// The curve's corners inside [low, high], ends included.
std::vector<std::pair<double, double>> corners(const Axis& axis, const Eigen::VectorXd& y, double low,
                                               double high) {
  std::vector<std::pair<double, double>> out = {{low, at(axis, y, low)}};
  for (std::size_t i = 0; i < axis.size(); ++i)
    if (axis[i] > low && axis[i] < high) out.emplace_back(axis[i], y[Eigen::Index(i)]);
  if (high > low) out.emplace_back(high, at(axis, y, high));
  return out;
}

template <class Better>
std::pair<double, double> extreme(const Axis& axis, const Eigen::VectorXd& y, double low, double high,
                                  Better better) {
  const auto all = corners(axis, y, low, high);
  auto best = all.front();
  for (const auto& c : all)
    if (better(c.second, best.second)) best = c;
  for (const auto& c : all)
    if (std::isnan(c.second)) return {NAN, NAN};
  return best;
}

}  // namespace

double at(const Axis& axis, const Eigen::VectorXd& y, double x) {
  if (!(x >= axis.front() && x <= axis.back()))
    throw Error(fmt::format("{} is outside the axis", x), "a curve expression",
                fmt::format("stay within {} … {}", axis.front(), axis.back()));
  const auto right = std::lower_bound(axis.begin(), axis.end(), x);
  const auto i = right - axis.begin();
  if (*right == x) return y[i];
  const double t = (x - axis[i - 1]) / (axis[i] - axis[i - 1]);
  return y[i - 1] * (1 - t) + y[i] * t;
}

double minimum(const Axis& axis, const Eigen::VectorXd& y, double low, double high) {
  return extreme(axis, y, low, high, std::less<>()).second;
}
double maximum(const Axis& axis, const Eigen::VectorXd& y, double low, double high) {
  return extreme(axis, y, low, high, std::greater<>()).second;
}
double argmin(const Axis& axis, const Eigen::VectorXd& y, double low, double high) {
  return extreme(axis, y, low, high, std::less<>()).first;
}
double argmax(const Axis& axis, const Eigen::VectorXd& y, double low, double high) {
  return extreme(axis, y, low, high, std::greater<>()).first;
}

double mean(const Axis& axis, const Eigen::VectorXd& y, double low, double high) {
  const auto all = corners(axis, y, low, high);
  if (all.size() == 1) return all[0].second;
  double area = 0;
  for (std::size_t i = 1; i < all.size(); ++i)
    area += 0.5 * (all[i].second + all[i - 1].second) * (all[i].first - all[i - 1].first);
  return area / (high - low);
}

double width(const Axis& axis, const Eigen::VectorXd& y, double level) {
  double sum = 0;
  for (std::size_t i = 1; i < axis.size(); ++i) {
    const double a = y[Eigen::Index(i) - 1] - level, b = y[Eigen::Index(i)] - level,
                 step = axis[i] - axis[i - 1];
    if (std::isnan(a) || std::isnan(b)) return NAN;
    if (a >= 0 && b >= 0)
      sum += step;
    else if (a >= 0 || b >= 0)
      sum += step * std::max(a, b) / std::abs(a - b);
  }
  return sum;
}

}  // namespace renth::curve
