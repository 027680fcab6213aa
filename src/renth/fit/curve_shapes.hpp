// What a set of curves is made of: a mean curve and a few shapes.
#pragma once
#include <Eigen/Core>

namespace renth {

/// The shapes of curves and how much of each is in each run.
struct CurveShapes {
  Eigen::VectorXd mean, scale;  ///< q, of each axis point
  Eigen::MatrixXd shapes;       ///< q × r, orthonormal
  Eigen::MatrixXd scores;       ///< n × r
  Eigen::VectorXd left_over;    ///< q, mean square that the shapes do not follow, in the output's unit
  double share = 0;             ///< of the variance of scaled outputs that the shapes carry
};

/// Principal components of the outputs, every axis point scaled to variance 1, as many as carry `share` of
/// the variance. Axis points that are missing are filled in turn by what the shapes say of them (the
/// iteration of B. Grung and R. Manne, Chemometrics and Intelligent Laboratory Systems 42, 1998).
///
/// \param curves  n × q, NaN where missing; each axis point in two runs at least.
CurveShapes curve_shapes(const Eigen::MatrixXd& curves, double share, int most);

}  // namespace renth
