// Ranking from runs alone: what the first look at a table wants, before any surrogate.
#pragma once
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/ranking.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {

// All of these take the runs of one output that does not stay the same. Shifts of blocks are taken out first.
// Each throws Error for fewer runs than it needs, an output that never varies, or more outputs than one.

/// Effects of regression on main effects, products of two parameters and, where the runs carry them, squares:
/// the richest of suggested_terms() that leaves four degrees of freedom, else what the runs can tell apart.
///
/// `share` is the partial sum of squares of a term over the total; its interval is that of the coefficients
/// (of a choice of three or more H. Scheffé's, Biometrika 40, 1953), squared; the measures are `effect`, the
/// change of the response from the low end of the span to the high one (of a choice its widest difference),
/// `standardised`, |t|, of terms of several degrees of freedom the t of the same significance, and `p`.
/// `line` is the t that noise passes with probability 1 − level. With nothing left to estimate the error, R.
/// V. Lenth's pseudo standard error stands for it (Technometrics 31, 1989). Parameters that the runs cannot
/// tell from earlier ones have no share; a remark names them.
Ranking effects_of_runs(const Space& space, const Data& data, double level = 0.95);

/// Pearson's, Spearman's and the partial rank correlation of each parameter with the response, all others
/// held, with intervals by R. A. Fisher's transformation (Spearman's with the variance of D. G. Bonett and T.
/// A. Wright, Psychometrika 65, 2000). A choice of three or more has the multiple correlation with its
/// contrasts, which has no sign. `share` is Pearson's squared.
Ranking correlations_of_runs(const Space& space, const Data& data, double level = 0.95);

/// First-order Sobol' indices from given runs: the share of the variance that a smooth curve in one parameter
/// explains, in cosines of its ranks (E. Plischke, Environmental Modelling & Software 35, 2012), as many as
/// the corrected information criterion of C. M. Hurvich and C.-L. Tsai (Biometrika 76, 1989) wants, less what
/// noise would explain; of a choice by its groups. Intervals are a bootstrap's, shifted by its
/// own bias and widened for the waves that were chosen, whose number is `waves`.
Ranking first_order_of_runs(const Space& space, const Data& data, Seed seed, double level = 0.95);

/// Dependence of any shape: distance correlation (G. J. Székely, M. L. Rizzo, N. K. Bakirov, Annals of
/// Statistics 35, 2007), squared and without bias (G. J. Székely and M. L. Rizzo, same journal 42, 2014), in
/// O(n log n) (X. Huo and G. J. Székely, Technometrics 58, 2016), of a choice with distances 0 and 1. The
/// p-values are of permutations of the response; `p` is corrected for the number of parameters by the largest
/// of each permutation (P. H. Westfall and S. S. Young, Resampling-Based Multiple Testing, 1993). `share` is
/// the squared correlation, not below 0, its interval by a jackknife over groups: no share of variance.
Ranking dependence_of_runs(const Space& space, const Data& data, Seed seed, double level = 0.95);

/// Elementary effects (M. D. Morris, Technometrics 33, 1991) of consecutive runs that differ in one
/// parameter, per span: `mean`, `absolute` (F. Campolongo, J. Cariboni, A. Saltelli, Environmental Modelling
/// & Software 22, 2007) with an interval, `spread`, their number `steps`, and what that `says`: inert,
/// linear, monotonic or "curved or interacting". `share` is the squared absolute mean over their sum.
///
/// \param data   in the order of the runs. \throws Error  no parameter changes alone from one run to the
/// next,
///               or some never does.
Ranking elementary_effects(const Space& space, const Data& data, double level = 0.95);

namespace detail {
/// The output, without shifts of blocks. \throws Error  as said above.
Eigen::VectorXd output_of_runs(const Space& space, const Data& data, Eigen::Index least_runs);
}  // namespace detail

}  // namespace renth
