// More runs for a plan that has been run.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// `runs` more points for a plan, origin `added`; the plan's own stay as they are. Sequences (sobol, halton,
/// random) go on where they ended. A Latin hypercube gets its new rows in the emptiest strata of every
/// column, then exchanged to be even together with the old ones: an exact Latin hypercube when the total
/// is a multiple of the old size. spread fills round what is there. Optimal plans are extended by optimal()
/// itself.
///
/// \param old   the plan so far, all its points (also those added before), with its recipe.
/// \param runs  how many more; 0: as many as there are.
/// \returns     the new points alone; `next` is the position after them.
/// \throws Error  a method that has no meaning when longer (the message says what to use instead).
Plan extend(const Space& space, const Plan& old, int runs, Seed seed);

}  // namespace renth
