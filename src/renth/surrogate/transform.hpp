// Power transformations of a response.
#pragma once

namespace renth {

/// z = (y^λ − 1)/λ, ln y for λ = 0 (G. E. P. Box and D. R. Cox, Journal of the Royal Statistical Society B
/// 26, 1964, equation 1). λ = 1 leaves y as it is.
struct Transform {
  double lambda = 1;

  bool none() const { return lambda == 1; }
  double forward(double y) const;
  /// The y of a z; beyond what y > 0 can give, 0 or +∞.
  double back(double z) const;
  /// dy/dz at the z of this y.
  double slope(double y) const;
};

}  // namespace renth
