#include <algorithm>
#include <cmath>
#include <renth/base/undefined.hpp>
#include <renth/expression/curve.hpp>

namespace renth::curve {
namespace {

/// Calls take(x, y) at the curve's corners inside [low, high], ends included, from left to right.
template <class Take>
void corners(const Curve& curve, double low, double high, const Take& take) {
  take(low, at(curve, low));
  for (std::size_t i = 0; i < curve.axis.size(); ++i)
    if (curve.axis[i] > low && curve.axis[i] < high) take(curve.axis[i], curve[i]);
  if (high > low) take(high, at(curve, high));
}

struct Place {
  double x, y;
};

/// The first of the largest corners of sign·curve; NaN if one is missing.
Place extreme(const Curve& curve, double low, double high, double sign) {
  Place best{undefined, undefined};
  bool first = true, missing = false;
  corners(curve, low, high, [&](double x, double y) {
    missing = missing || std::isnan(y);
    if (first || sign * y > sign * best.y) best = {x, y};
    first = false;
  });
  return missing ? Place{undefined, undefined} : best;
}

}  // namespace

bool reaches(const std::vector<double>& axis, double x) {
  return x >= axis.front() && x <= axis.back();
}

double at(const Curve& curve, double x) {
  const std::vector<double>& axis = curve.axis;
  if (!reaches(axis, x)) return undefined;
  const auto right = std::lower_bound(axis.begin(), axis.end(), x);
  const auto i = std::size_t(right - axis.begin());
  if (*right == x) return curve[i];
  const double t = (x - axis[i - 1]) / (axis[i] - axis[i - 1]);
  return curve[i - 1] * (1 - t) + curve[i] * t;
}

double minimum(const Curve& curve, double low, double high) {
  return extreme(curve, low, high, -1).y;
}
double maximum(const Curve& curve, double low, double high) {
  return extreme(curve, low, high, 1).y;
}
double argmin(const Curve& curve, double low, double high) {
  return extreme(curve, low, high, -1).x;
}
double argmax(const Curve& curve, double low, double high) {
  return extreme(curve, low, high, 1).x;
}

double mean(const Curve& curve, double low, double high) {
  if (!(high > low)) return at(curve, low);
  double area = 0;
  Place last{undefined, undefined};
  corners(curve, low, high, [&](double x, double y) {
    if (x > low) area += 0.5 * (y + last.y) * (x - last.x);
    last = {x, y};
  });
  return area / (high - low);
}

double width(const Curve& curve, double level) {
  double sum = 0;
  for (std::size_t i = 1; i < curve.axis.size(); ++i) {
    const double a = curve[i - 1] - level, b = curve[i] - level, step = curve.axis[i] - curve.axis[i - 1];
    if (std::isnan(a) || std::isnan(b)) return undefined;
    if (a >= 0 && b >= 0)
      sum += step;
    else if (a >= 0 || b >= 0)
      sum += step * std::max(a, b) / std::abs(a - b);
  }
  return sum;
}

}  // namespace renth::curve
