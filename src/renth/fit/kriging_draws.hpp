// What runs leave open of a kriging: a sample of lengths, kernels and noise, each as likely as it is.
#pragma once
#include <memory>
#include <renth/fit/kriging_objective.hpp>
#include <renth/fit/standardise.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <vector>

namespace renth {

/// Where the search of one kernel ended.
struct KrigingMode {
  KrigingProblem problem;  ///< of standardised outputs
  Eigen::VectorXd at;      ///< ln θ, and ln nugget if it is estimated
  double value = 0;        ///< of the criterion there
  double handicap = 0;     ///< added to it before kernels are held against one another
  bool noise = false;      ///< is the nugget noise?
};

/// The kriging at some lengths, without runs and terms. \param trend  as in the problem.
/// \param noise  is the nugget noise?  \param inflation  of σ².
Kriging::State kriging_at(KrigingObjective& objective, const Eigen::VectorXd& at, const Space& space,
                          const Terms& trend, const Standardised& outputs, bool noise, double inflation);

/// The same from the values of the objective's last call, which was there and gave `value`.
Kriging::State kriging_here(const KrigingObjective& objective, const Eigen::VectorXd& at, double value,
                            const Space& space, const Terms& trend, const Standardised& outputs, bool noise,
                            double inflation);

/// The likeliest kriging with some `count` others drawn from the posterior of kernels, lengths and nugget: of
/// each kernel in the share that its criterion at its mode gives it, from a normal about the mode with the
/// curvature there as proposal, and importance resampling (A. E. Raftery in Markov Chain Monte Carlo in
/// Practice, 1996, chapter 10, for the kernels; L. Tierney and J. B. Kadane, Journal of the American
/// Statistical Association 81, 1986; A. F. M. Smith and A. E. Gelfand, American Statistician 46, 1992).
///
/// \param modes  at least one, the best (with its handicap) first.
std::unique_ptr<const Surrogate> kriging_ensemble(const std::vector<KrigingMode>& modes, int count,
                                                  const Space& space, const Terms& trend,
                                                  const Standardised& outputs, Seed seed);

/// The same on part of the runs: the draws of `whole`, moved by as much as the mode of the likeliest kernel
/// moves, and weighted anew by what is then as likely as before.
std::unique_ptr<const Surrogate> ensemble_again(const KrigingEnsemble& whole, const KrigingProblem& problem,
                                                const Space& space, const Standardised& outputs);

}  // namespace renth
