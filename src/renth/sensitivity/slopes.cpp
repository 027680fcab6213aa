#include <algorithm>
#include <renth/sensitivity/slopes.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr int nodes = 5;

/// Weights of the values at −2 … 2 for the slope at t of the polynomial through them.
Eigen::Matrix<double, nodes, 1> slope_weights(double t) {
  Eigen::Matrix<double, nodes, 1> out;
  for (int i = 0; i < nodes; ++i) {
    double below = 1, sum = 0;
    for (int k = 0; k < nodes; ++k)
      if (k != i) below *= i - k;
    for (int left_out = 0; left_out < nodes; ++left_out) {
      if (left_out == i) continue;
      double product = 1;
      for (int k = 0; k < nodes; ++k)
        if (k != i && k != left_out) product *= t - (k - 2);
      sum += product;
    }
    out[i] = sum / below;
  }
  return out;
}

}  // namespace

Eigen::MatrixXd slopes(const Space& space, const Evaluate& model, Points points, Index parameter) {
  const Parameter& p = space[parameter];
  const Index m = points.rows();
  if (p.is_choice()) return Eigen::MatrixXd::Zero(m, model(points.topRows(std::min<Index>(1, m))).cols());
  const double h = 1e-3 * (p.high - p.low);
  Eigen::MatrixXd around(nodes * m, points.cols());
  Eigen::VectorXd place(m);
  for (Index i = 0; i < m; ++i) {
    const double x = points(i, parameter), centre = std::clamp(x, p.low + 2 * h, p.high - 2 * h);
    place[i] = (x - centre) / h;
    for (int k = 0; k < nodes; ++k) {
      around.row(nodes * i + k) = points.row(i);
      around(nodes * i + k, parameter) = centre + (k - 2) * h;
    }
  }
  const Eigen::MatrixXd values = model(around);
  Eigen::MatrixXd out(m, values.cols());
  for (Index i = 0; i < m; ++i)
    out.row(i) = slope_weights(place[i]).transpose() * values.middleRows(nodes * i, nodes) / h;
  return out;
}

}  // namespace renth
