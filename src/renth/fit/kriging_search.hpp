// The search for correlation lengths and noise of one kernel.
#pragma once
#include <renth/base/error.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_objective.hpp>
#include <renth/numeric/descend.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/space.hpp>
#include <renth/surrogate/data.hpp>
#include <vector>

namespace renth {

/// The runs of one fit, checked; y are its outputs, standardised, which keeps offsets like 1e9 ± 1 harmless.
/// \throws Error  no more runs than terms of the trend.
KrigingProblem kriging_problem(const Space& space, const Data& data, const Eigen::VectorXd& y,
                               const KrigingOptions& options);

/// What to throw where no lengths give a correlation matrix that can be decomposed.
Error stays_singular();

/// One local optimisation. \param evaluations  if not null, gets how many likelihoods it took.
Descent descend(KrigingObjective& objective, const Eigen::VectorXd& start,
                std::vector<int>* evaluations = nullptr);

/// The best lengths, and whether the runs scatter (`nugget`). \param spread  of the outputs.
Descent search_lengths(KrigingObjective& objective, const Space& space, const Data& data,
                       const KrigingOptions& options, double spread, Seed seed, bool& nugget);

/// By how much σ² has to be larger than by likelihood, at least 1, for e_i²/variance_i over the runs, each
/// left out, to have a mean of 1: the estimate of F. Bachoc, Computational Statistics & Data Analysis 66,
/// 2013, equation 4. A kernel that is smoother than the response shows here.
double left_out_scale(KrigingObjective& objective, const Eigen::VectorXd& at);

/// As many runs, drawn at random.
Data part_of(const Data& data, int count, Seed seed);

}  // namespace renth
