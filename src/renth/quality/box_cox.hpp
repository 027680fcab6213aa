// Would another scale of the response be better?
#pragma once
#include <optional>
#include <renth/fit/regression.hpp>
#include <renth/surrogate/data.hpp>
#include <vector>

namespace renth {

/// The profile of the likelihood over the power of the response.
struct BoxCox {
  struct Point {
    double lambda, log_likelihood;
  };
  std::vector<Point> profile;  ///< λ from −2 to 2 in steps of 0.1
  /// Of the largest likelihood between −2 and 2, to eight digits, and its interval, which ends there too.
  double lambda = 0, low = 0, high = 0;
  /// The simplest of 1, 0, ½, −1, −½, 2 in the 95 % interval, whatever the level; else λ rounded.
  double suggestion = 1;
  double likelihood_of_suggestion = 0;
};

/// log L(λ) = −n/2 · ln(SSE(λ)/n) + (λ − 1)Σ ln y, up to a constant; the interval is where it is within half
/// of the χ² quantile of its top (Box and Cox 1964, equations 8 and 12).
///
/// \returns nothing if a value is not above zero, or no residual degrees of freedom are left.
std::optional<BoxCox> box_cox(const Space& space, const Data& data, const Terms& terms, double level = 0.95);

}  // namespace renth
