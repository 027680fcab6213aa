// Small plans that find which of many parameters matter.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a Plackett–Burman plan.
struct PlackettBurmanOptions {
  int runs = 0;         ///< a multiple of 4 up to 48; 0: the fewest above the number of parameters
  int centre_runs = 0;  ///< at the middle, to see curvature
  bool random_order = true;
};

/// Main effects of up to 47 parameters at two levels, all orthogonal; each product of two is spread over
/// the main effects of the others (a note says so). (R. L. Plackett and J. P. Burman, Biometrika 33, 1946;
/// columns from hadamard().) Origin `corner`, `centre`.
/// \throws Error  a choice of more than two; runs that are no multiple of 4, above 48 or too few.
Plan plackett_burman(const Space& space, const PlackettBurmanOptions& options, Seed seed);

/// Options of a definitive screening plan.
struct Screening3Options {
  int centre_runs = 1;  ///< one is needed; more measure the scatter
  bool random_order = true;
};

/// Three levels in 2m + 1 runs, m the number of parameters or the next for which a conference matrix
/// exists: main effects are clear of each other, of all products and of all squares, and each square can be
/// estimated (B. Jones and C. J. Nachtsheim, J. Quality Technology 43, 2011; conference matrices: L. Xiao,
/// D. K. J. Lin, F. Bai, J. Quality Technology 44, 2012). Origins `edge` and `centre`.
/// \throws Error  fewer than 3 or more than 50 parameters; a choice or a parameter of two values.
Plan screening3(const Space& space, const Screening3Options& options, Seed seed);

}  // namespace renth
