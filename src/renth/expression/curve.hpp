// What the curve functions of expressions compute.
#pragma once
#include <Eigen/Core>
#include <vector>

/// On a curve that is linear between its axis points. A value that is missing (NaN) where it is needed makes
/// the result NaN.
namespace renth::curve {

/// The values of a curve at its axis points, wherever they lie in memory.
struct Curve {
  const std::vector<double>& axis;  ///< ascending, at least one point
  const double* first;              ///< value at axis point 0
  std::ptrdiff_t stride = 1;        ///< from one value to the next

  Curve(const std::vector<double>& points, const double* values, std::ptrdiff_t apart)
      : axis(points), first(values), stride(apart) {}
  Curve(const std::vector<double>& points, const Eigen::VectorXd& values)
      : axis(points), first(values.data()) {}
  double operator[](std::size_t i) const { return first[std::ptrdiff_t(i) * stride]; }
};

/// Is x on the axis?
bool reaches(const std::vector<double>& axis, double x);

/// \returns  NaN outside the axis, as do all that take ends.
double at(const Curve& curve, double x);
double minimum(const Curve& curve, double low, double high);
double maximum(const Curve& curve, double low, double high);
/// The first place of the extreme.
double argmin(const Curve& curve, double low, double high);
double argmax(const Curve& curve, double low, double high);
double mean(const Curve& curve, double low, double high);
/// Total length of the axis where the curve is at or above `level`.
double width(const Curve& curve, double level);

}  // namespace renth::curve
