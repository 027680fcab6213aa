// Which radial basis, which shape, how much smoothing.
#pragma once
#include <renth/fit/fit.hpp>
#include <renth/surrogate/rbf.hpp>
#include <vector>

namespace renth {

/// Options of a fit by radial basis functions.
struct RbfOptions {
  /// Those tried; the one with the smallest leave-one-out error is kept.
  std::vector<RadialBasis> bases = {RadialBasis::cubic, RadialBasis::thin_plate, RadialBasis::multiquadric,
                                    RadialBasis::gaussian};
  /// Shapes c of multiquadric and Gaussian tried, as multiples of the mean distance between neighbours.
  std::vector<double> shapes = {0.5, 1, 2, 4, 8, 16};
  /// Beyond this many runs the basis and its shape are chosen on a random part of them.
  int part = 500;
  int most_runs = 2000;
};

/// ŷ(x) = Σ w_i φ(‖x − x_i‖) + p(x)ᵀb with Pᵀw = 0 (M. D. Buhmann, Radial Basis Functions, 2003,
/// section 1.2). The error at a run that is left out is w_i over the i-th diagonal of the inverse of the
/// bordered matrix (S. Rippa, Advances in Computational Mathematics 11, 1999), from which basis, shape and,
/// for noisy runs, smoothing are chosen.
///
/// \throws Error  fewer runs than terms in the tail and one; a response that never varies; NaN; too many
/// runs.
Fit rbf_fit(RbfOptions options = {});

}  // namespace renth
