// Sobol' sequences.
#pragma once
#include <renth/plan/plan.hpp>

namespace renth {

/// Points first … first + count − 1 of the Sobol' sequence in the unit cube (count × dimensions),
/// starting with the origin; direction numbers by S. Joe and F. Y. Kuo, SIAM J. Sci. Comput. 30,
/// 2008. dimensions ≤ 3 667, first + count ≤ 2³².
Eigen::MatrixXd sobol_points(Eigen::Index count, Eigen::Index dimensions, std::uint64_t first = 0);

/// The same with Owen's nested uniform scrambling, by hashing (B. Burley, "Practical hash-based Owen
/// scrambling", Journal of Computer Graphics Techniques 9(4), 2020): every net property stays, and
/// each point is uniform on the cube. Two scrambles (seed, purpose) are independent.
Eigen::MatrixXd scrambled_sobol_points(Eigen::Index count, Eigen::Index dimensions, Seed seed,
                                       std::string_view purpose, std::uint64_t first = 0);

/// Options of a Sobol' plan.
struct SobolOptions {
  int runs = 0;             ///< 0: suggested_runs
  std::uint64_t first = 0;  ///< where in the sequence to begin; Plan::next of the plan to extend
};

/// Low-discrepancy points, scrambled with the seed; those that the limits forbid are skipped, so
/// that a longer plan begins with a shorter one. Steps, levels and choices take equal shares.
/// \throws Error  the limits leave almost nothing.
Plan sobol(const Space& space, const SobolOptions& options, Seed seed);

}  // namespace renth
