// The middles of edges: three levels without a corner.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Options of a Box–Behnken plan.
struct BoxBehnkenOptions {
  /// Runs at the centre in all; −1: three for up to four parameters, five beyond. Three leave two degrees
  /// of freedom for pure error; five flatten the prediction variance in the middle. Blocks share them evenly.
  int centre_runs = -1;
  /// Orthogonal blocks; 1 means none. Which numbers exist depends on k.
  int blocks = 1;
  bool random_order = true;
};

/// A three-level plan for quadratic surfaces that never visits a corner: for solvers or
/// rigs that fail when everything is at its limit at once.
///
/// Groups of two to four parameters run through a two-level factorial while the others stay at 0
/// (G. E. P. Box and D. W. Behnken, Technometrics 2, 1960, table 4). For eight parameters, which the table
/// leaves out: the 14 fours in which each three parameters meet once, each in a half factorial.
///
/// \param space   k = 3 … 10 varying parameters, each with at least three values.
/// \returns       runs in standard order if asked, natural units, origin `edge` or `centre`.
/// \throws Error  k out of range; a choice or a two-valued parameter; blocks that don't
///                exist (the message lists those that do); limits that forbid a run.
Plan box_behnken(const Space& space, const BoxBehnkenOptions& options, Seed seed);

}  // namespace renth
