// Prediction intervals that rest on what cross-validation got wrong, not on the model's own word.
#pragma once
#include <renth/quality/cross_validation.hpp>

namespace renth {

/// Bounds at one level for m points; empty when there are too few runs for that level.
struct CalibratedIntervals {
  Eigen::VectorXd low, high;
};

/// Cross-conformal intervals, the CV+ of R. F. Barber, E. J. Candès, A. Ramdas, R. J. Tibshirani, Annals of
/// Statistics 49, 2021, equation 1.6: quantiles over the runs i of μ₋ₖ₍ᵢ₎(x) ± |y_i − μ₋ₖ₍ᵢ₎(x_i)|. They hold
/// on average over the region that the runs were drawn from, however wrong the model is.
///
/// \param output  column of the outputs; runs without it are passed over.
CalibratedIntervals calibrated_intervals(const Data& data, const CrossValidation& cv, Points points,
                                         Eigen::Index output, double level);

}  // namespace renth
