// Orthogonal arrays of strength two for two- and three-level parameters together.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of an orthogonal array.
struct OrthogonalArrayOptions {
  int runs = 0;    ///< 9, 12, 16, 18, 27 or 36; 0: the fewest that carry the parameters
  int levels = 0;  ///< of each span: 2 or 3 (0: 3). Choices and levels of two or three take their own
  bool random_order = true;
};

/// In any two columns each pair of levels comes equally often, so that main effects do not disturb one
/// another. 9 = 3⁴, 27 = 3¹³ (C. R. Rao, 1947: lines over GF(3)); 16 = 2¹⁵; 12 = 2¹¹ or 3¹2⁴; 18 = 2¹3⁷ and
/// 36 = 2¹¹3¹² or 2⁴3¹³ from difference schemes (R. C. Bose and K. A. Bush, Ann. Math. Stat. 23, 1952).
/// Origin `array`.
/// \throws Error  a choice or levels with four or more; no array of that size carries the parameters.
Plan orthogonal_array(const Space& space, const OrthogonalArrayOptions& options, Seed seed);

/// Symbols 0 … levels − 1 of the array with these numbers of columns, two-level ones first; empty if
/// there is none. For tests and for designs made elsewhere.
Eigen::MatrixXi orthogonal_array_symbols(int runs, int two_level, int three_level);

}  // namespace renth
