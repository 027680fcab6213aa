// A share of the corners.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a two-level fractional factorial.
struct FractionalFactorialOptions {
  /// 3: main effects clear of one another; 4: also of two-parameter products; 5: those clear too. 0: 4.
  int resolution = 0;
  std::string generators;  ///< instead: "e=a*b*c, f=b*c*d"
  int runs = 0;            ///< instead: this power of two, with minimum aberration
  int centre_runs = 0;     ///< at the middle, to see curvature; only where every parameter has a middle
  int replicates = 1;      ///< of the corners
  bool random_order = true;
};

/// The fewest corners that reach the resolution, with minimum aberration (two_level.hpp); a note gives the
/// generators and what is aliased with what. Origin `corner` and `centre`.
/// \throws Error  a choice of more than two; generators that repeat; a resolution that does not exist.
Plan fractional_factorial(const Space& space, const FractionalFactorialOptions& options, Seed seed);

/// III, IV, V or 3, 4, 5.
int parse_resolution(const std::string& text);
std::string roman(int resolution);

}  // namespace renth
