// Plans from any endless sequence in the unit cube.
#pragma once
#include <functional>
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// The next `runs` allowed points (0: suggested_runs) of a sequence from position `first`; forbidden ones are
/// skipped, so that a longer plan begins with a shorter one. Steps, levels and choices take equal shares.
/// \param points  n points of the sequence from a position, in the unit cube.
/// \throws Error  the limits leave almost nothing.
Plan from_sequence(const Space& space, int runs, std::uint64_t first, const std::string& method, Seed seed,
                   const std::function<Eigen::MatrixXd(Eigen::Index, std::uint64_t)>& points);

}  // namespace renth
