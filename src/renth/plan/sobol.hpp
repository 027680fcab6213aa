// Plans from a Sobol' sequence.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

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
