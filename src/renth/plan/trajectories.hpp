// One parameter at a time along well-spread paths: runs for elementary effects.
#pragma once
#include <renth/plan/plan.hpp>

namespace renth {

/// Paths of d + 1 runs in which every parameter changes once, in random order (M. D. Morris, Technometrics
/// 33, 1991): numbers by half of their four values, of fewer values by half of those, choices to another
/// label. Of more paths drawn, those that lie farthest apart are taken (F. Campolongo, J. Cariboni, A.
/// Saltelli, Environmental Modelling & Software 22, 2007, section 4), one after another and then by exchange.
///
/// \param runs  in all, rounded down to a multiple of d + 1; 0: ten paths. Origin `trajectory`.
/// \throws Error  fewer runs than one path has; the limits leave hardly any path.
Plan trajectories(const Space& space, int runs, Seed seed);

}  // namespace renth
