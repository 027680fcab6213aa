// Halton sequences and Hammersley sets.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>

namespace renth {

/// Points first … first + count − 1 of the Halton sequence in the first `dimensions` primes (count ×
/// dimensions), every digit permuted at random and independently (A. B. Owen, arXiv 1706.02808, 2017):
/// each point is uniform, and the raw sequence's stripes in high dimensions are gone.
/// \throws Error  more than 1 000 dimensions.
Eigen::MatrixXd scrambled_halton_points(Eigen::Index count, Eigen::Index dimensions, Seed seed,
                                        std::string_view purpose, std::uint64_t first = 0);

/// Options of a Halton plan; as SobolOptions.
struct HaltonOptions {
  int runs = 0;
  std::uint64_t first = 0;
};

/// Like sobol(), from a scrambled Halton sequence: any number of runs is as good as any other.
Plan halton(const Space& space, const HaltonOptions& options, Seed seed);

/// `runs` points (0: suggested_runs) whose first column is the even grid (i + ½)/n and whose others are a
/// scrambled Halton sequence (J. M. Hammersley, 1960): more even than the sequence, but only at its full
/// length, so that it cannot be continued. Forbidden points are left out of a longer set until `runs` remain.
Plan hammersley(const Space& space, int runs, Seed seed);

}  // namespace renth
