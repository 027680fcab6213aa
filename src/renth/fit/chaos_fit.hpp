// Which polynomials of a chaos are chosen, and how.
#pragma once
#include <renth/fit/fit.hpp>
#include <vector>

namespace renth {

/// Options of a sparse polynomial chaos.
struct ChaosOptions {
  /// Largest total degree tried; degrees go up from 1 until two in a row predict no better.
  int most_degree = 14;
  int least_degree = 1;
  /// Interactions of total degree p enter if Σ α_j^q ≤ p^q (hyperbolic truncation): 1 takes all, less only
  /// those in which few parameters carry high powers. Each is tried.
  std::vector<double> norms = {1.0, 0.75, 0.5};
  /// Candidates at most. A degree that has more is not tried.
  int most_candidates = 1500;
};

/// For each total degree and norm the candidates are ordered by least angles (B. Efron, T. Hastie, I.
/// Johnstone, R. Tibshirani, Annals of Statistics 32, 2004); along that order least squares is refitted, and
/// the number of terms, the degree and the norm are those with the smallest leave-one-out error, corrected
/// for the number of terms: G. Blatman and B. Sudret, Journal of Computational Physics 230, 2011, equations
/// 21–24 and algorithm 1.
///
/// The polynomials are orthonormal for parameters that are uniform over their spans and levels, as the region
/// is: Legendre's for spans, discrete ones for levels, contrasts for choices.
///
/// \throws Error  fewer than four different runs; a response that never varies; NaN.
Fit chaos_fit(ChaosOptions options = {});

}  // namespace renth
