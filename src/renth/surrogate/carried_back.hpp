// Predictions of a monotone function z of the response, told in the response.
#pragma once
#include <algorithm>
#include <cmath>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

// A scale has forward(y) = z, back(z) = y, and slope(y) = dy/dz at the z of this y.

/// The mean carried back is the median of y; variances, parts and slopes are carried back to first order.
template <class Scale>
void carry_back(Prediction& p, const Scale& scale) {
  using Eigen::Index;
  Eigen::MatrixXd slope(p.mean.rows(), p.mean.cols());
  for (Index k = 0; k < p.mean.cols(); ++k)
    for (Index i = 0; i < p.mean.rows(); ++i) {
      p.mean(i, k) = scale.back(p.mean(i, k));
      slope(i, k) = scale.slope(p.mean(i, k));
    }
  for (Eigen::MatrixXd* variance : {&p.model_variance, &p.noise_variance})
    if (variance->size() > 0) variance->array() *= slope.array().square();
  for (ErrorPart& part : p.parts) {
    part.model.array() *= slope.array();
    part.noise.array() *= slope.array();
  }
  for (std::size_t k = 0; k < p.mean_gradient.size(); ++k)
    p.mean_gradient[k].array().colwise() *= slope.col(Index(k)).array();
}

/// Intervals of z with both ends carried back. \param p  as carry_back() left it.  \param of_z  the intervals
/// of a prediction of z.
template <class Scale, class OfZ>
Intervals carried_back_intervals(const Prediction& p, const Scale& scale, const OfZ& of_z) {
  using Eigen::Index;
  Prediction z = p;
  for (Index k = 0; k < p.mean.cols(); ++k)
    for (Index i = 0; i < p.mean.rows(); ++i) {
      const double slope = scale.slope(p.mean(i, k));
      z.mean(i, k) = scale.forward(p.mean(i, k));
      z.model_variance(i, k) /= slope * slope;
      z.noise_variance(i, k) /= slope * slope;
    }
  Intervals out = of_z(z);
  const auto carry = [&](Eigen::MatrixXd& lows, Eigen::MatrixXd& highs) {
    for (Index k = 0; k < lows.cols(); ++k)
      for (Index i = 0; i < lows.rows(); ++i) {
        double &low = lows(i, k), &high = highs(i, k);
        low = std::isnan(low) ? low : scale.back(low);
        high = std::isnan(high) ? high : scale.back(high);
        if (low > high) std::swap(low, high);  // a scale that falls
      }
  };
  carry(out.confidence_low, out.confidence_high);
  carry(out.prediction_low, out.prediction_high);
  return out;
}

}  // namespace renth
