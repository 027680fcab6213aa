// How wide moving least squares looks, and by which local model.
#pragma once
#include <renth/fit/fit.hpp>
#include <string>
#include <vector>

namespace renth {

/// Options of moving least squares.
struct MovingOptions {
  /// Local models tried, as TERMS; those with more terms than half the runs are not, but for the first.
  std::vector<std::string> models = {"linear", "quadratic"};
  /// Runs within the bandwidth tried, as multiples of the terms of the local model.
  std::vector<double> reaches = {1.3, 1.6, 2, 3, 5, 8};
  /// Runs within the bandwidth, if that is known: then no reach is tried.
  int near = 0;
  int judged = 120;      ///< runs at most at which errors are looked at
  int most_runs = 5000;  ///< every prediction looks at all of them
};

/// At each point a polynomial in coded units is fitted to the nearest runs by weighted least squares, weights
/// (1 − (r/h)²)³, h the distance to the first run that is left out (P. Lancaster and K. Salkauskas,
/// Mathematics of Computation 37, 1981; W. S. Cleveland and S. J. Devlin, Journal of the American Statistical
/// Association 83, 1988). The local model and the number of runs are those with the smallest error at the
/// runs, each left out.
///
/// \throws Error  fewer runs than a local linear model needs; a response that never varies; NaN; too many
/// runs.
Fit moving_fit(MovingOptions options = {});

}  // namespace renth
