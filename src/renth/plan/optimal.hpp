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
  std::vector<Terms> or_else;  ///< further models one of which may hold instead: the plan is good for each
  int runs = 0;                ///< n; 0: half as many again as there are terms, less the runs that exist
  int restarts = 10;           ///< independent starts
  Eigen::MatrixXd existing;    ///< m × d, natural units: runs that exist and count too, or empty
  Eigen::VectorXi existing_blocks;  ///< m: their blocks or whole plots; empty: one block, no plots
  Eigen::MatrixXd candidates;       ///< m × d, natural units: the only settings that can be run, or empty
  int blocks = 1;                   ///< of equal size, give or take one, whose shifts are estimated too
  int pure_error = 0;               ///< so many of the runs repeat another of their block
  /// Groups of runs between which the hard parameters (Parameter::hard) are set anew; 0: a suggestion. The
  /// setting brings an error with it that the runs of a plot share, its variance `variance_ratio` times that
  /// of a run. Meant for spaces with hard parameters alone.
  int whole_plots = 0;
  double variance_ratio = 1;
  bool random_order = true;
};

/// n runs, origin `optimal`, chosen by exchange() from `restarts` random starts; the two best go on. Blocks
/// are those of the plan, or its whole plots. Points may repeat: a replicate is often the best run there is
/// (a note says so).
///
/// Blocks as columns of the model: R. D. Cook and C. J. Nachtsheim, Technometrics 31, 1989. Runs for pure
/// error: S. G. Gilmour and L. A. Trinca, J. Royal Statistical Society C 61, 2012.
///
/// The same (options, seed) give the same plan on any number of threads.
/// \throws Error  fewer runs than terms; terms that the region cannot tell apart, such as the square of a
///                parameter with two values; limits that leave too little; fewer whole plots than terms in
///                hard parameters alone; options that do not go together.
Plan optimal(const Space& space, const OptimalOptions& options, Seed seed);

/// The number that `optimal` takes when none is given.
int suggested_optimal_runs(const OptimalOptions& options);

OptimalOptions::Criterion parse_criterion(std::string_view text);
std::string_view name(OptimalOptions::Criterion criterion);

}  // namespace renth
