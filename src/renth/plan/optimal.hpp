// Optimal designs: the runs that estimate a given list of terms best.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/plan/plan.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

/// Options of an optimal plan.
struct OptimalOptions {
  /// What is best. `D`: the joint confidence region of the coefficients is smallest; for finding which
  /// terms matter. `I`: the prediction variance averaged over the region is smallest; for response
  /// surfaces. `A`: the mean variance of the coefficients is. `G`: the largest prediction variance
  /// over the region is; slower, and rarely far from I.
  enum class Criterion { D, I, A, G } criterion = Criterion::D;
  Terms terms;                 ///< by parse_terms
  int runs = 0;                ///< n; 0: half as many again as there are terms, less the runs that exist
  int restarts = 10;           ///< independent starts
  Eigen::MatrixXd existing;    ///< m × d, natural units: runs that exist and count too, or empty
  Eigen::MatrixXd candidates;  ///< m × d, natural units: the only settings that can be run, or empty
  bool random_order = true;
};

/// n runs, origin `optimal`, chosen by exchange() from `restarts` random starts; the two best go on.
/// Points may repeat: a replicate is often the best run there is (a note says so).
///
/// The same (options, seed) give the same plan on any number of threads.
/// \throws Error  fewer runs than terms; terms that the region cannot tell apart, such as the square of a
///                parameter with two values; limits that leave too little.
Plan optimal(const Space& space, const OptimalOptions& options, Seed seed);

/// The number that `optimal` takes when none is given.
int suggested_optimal_runs(const OptimalOptions& options);

OptimalOptions::Criterion parse_criterion(std::string_view text);
std::string_view name(OptimalOptions::Criterion criterion);

}  // namespace renth
