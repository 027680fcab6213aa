// Corners, axes and centre: the plan for a quadratic surface that can be run in stages.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a central composite plan.
struct CentralCompositeOptions {
  /// Distance of the axial runs in coded units. `rotatable`: F^¼ for F corners, the prediction variance
  /// depends on the distance from the centre only. `spherical`: √k, as far out as the corners. `orthogonal`:
  /// squares uncorrelated. `face`: 1, nothing leaves the spans. `inscribed`: the rotatable plan shrunk
  /// until its axial runs are at the ends of the spans. `given`: `distance`.
  enum class Axial { rotatable, face, orthogonal, spherical, inscribed, given } axial = Axial::rotatable;
  double distance = 0;
  /// Runs at the centre in all; −1: three to five. They measure pure error, and without a few of them the
  /// prediction variance peaks in the middle; beyond five there is little to gain. Blocks share them evenly.
  int centre_runs = -1;
  /// 1, 2 (corners, axes) or 1 + 2, 4, … (the corners split as well). With several blocks and no axial
  /// distance asked for, the distance is the one that makes blocks orthogonal to all terms.
  int blocks = 1;
  bool axial_asked = false;  ///< whether `axial` was the user's wish
  enum class Stage { whole, corners, axial } stage = Stage::whole;
  int first_block = 0;  ///< number of the first block, when a stage continues another
  bool random_order = true;
};

/// For k = 2 … 10 numeric parameters: 2^k corners, from five parameters on the smallest fraction of
/// resolution V or better; 2k axial runs; centre runs (G. E. P. Box and K. B. Wilson, J. Roy. Stat. Soc. B
/// 13, 1951; orthogonal blocks: G. E. P. Box and J. S. Hunter, Ann. Math. Stat. 28, 1957). Origins `corner`,
/// `axial`, `centre`. A note says which values leave their span, and what to do. \throws Error  k out of
/// range; choices or two-valued parameters; blocks that do not exist (the message
///                lists those that do); limits that forbid a run; lists of values beyond the span.
Plan central_composite(const Space& space, const CentralCompositeOptions& options, Seed seed);

/// rotatable, face, orthogonal, spherical, inscribed or a number.
void parse_axial(const std::string& text, CentralCompositeOptions& options);

}  // namespace renth
