// Random points: of the region, of its corners, of the scatter round a setting.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// `runs` independent uniform points of the region, settable values only (0: suggested_runs). For a
/// batch that must be independent of everything.
/// \param first  how many such points this seed has given already; they are skipped.
Plan random_plan(const Space& space, int runs, Seed seed, std::uint64_t first = 0);

/// The corners of the box: both ends of every number, every choice; those that the limits allow.
/// `runs` > 0 draws that many different ones at random. Origin `corner`.
/// \param random_order  of running; else standard order, the first parameter fastest.
/// \throws Error  more than a million corners and no `runs`; the limits forbid all.
Plan corners(const Space& space, int runs, Seed seed, bool random_order = true);

/// `runs` (0: 100) draws of what a setting really becomes: each parameter with scatter drawn from it, the
/// others as set. Values may leave the span and the steps. Draws that break a limit are drawn again, and a
/// note says how often. Origin `scatter`.
/// \param at  the setting, d natural values.
/// \throws Error  no parameter has scatter; nearly every draw breaks a limit.
Plan scatter_plan(const Space& space, const Eigen::VectorXd& at, int runs, Seed seed);

}  // namespace renth
