// The ranking of parameters by a surrogate, with what neither sampling nor few runs can hide.
#pragma once
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/ranking.hpp>
#include <renth/sensitivity/variance_shares.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

struct Data;

struct RankOptions {
  int samples = 1024;   ///< base points a replicate, a power of two
  int replicates = 8;   ///< independent scrambles; their scatter is the sampling error
  double level = 0.95;  ///< of the intervals
  int all_folds = 0;    ///< folds in all, if only some of their models are given; 0: these are all
  /// What the surrogate misses of the response's variance, the noise of runs aside (1 − Q² of what can be
  /// reached).
  double missed = 0;
  double noise = 0;  ///< variance of the mean of all runs by noise, over the response's variance
  int runs = 0;      ///< behind `missed`, which is known the less the fewer they are; 0: it is exact
  /// How the inputs are spread, in place of the box that the limits cut: what limits forbid counts too.
  /// Empty: the box.
  FromUnit inputs;
  /// Shares that need no sampling (exact_shares()), of the whole and of each fold; empty: they are sampled.
  std::vector<VarianceShares> exact;
  /// Parameters that the surrogate does not know: any of them may be behind all that it misses.
  std::vector<Eigen::Index> left_out;
};

/// Sets RankOptions::missed and noise for a surrogate with this Q², cross-validated on its data: 1 − Q² of
/// the share of the runs' variance that is not noise by the surrogate's own estimate, between 0 and 1.
void tell_what_is_missed(const Surrogate& surrogate, const Data& data, double q2, RankOptions& options);

/// Shares with intervals that join three errors: what the surrogate misses, the sampling error over
/// replicates, and the uncertainty of the surrogate, by the delete-a-group jackknife over the models that
/// cross-validation fitted without one fold each (J. Shao and C. F. J. Wu, Annals of Statistics 17,
/// 1989): var = (K − 1)/K Σ (θ_k − θ̄)².
///
/// Sobol' indices where no limit cuts the box or the inputs are spread otherwise, Shapley effects where one
/// does.
///
/// \param whole   the surrogate's mean.
/// \param folds   means of the models without one fold each; may be empty.
Ranking rank_parameters(const Space& space, const Evaluate& whole, const std::vector<Evaluate>& folds,
                        const RankOptions& options, Seed seed);

}  // namespace renth
