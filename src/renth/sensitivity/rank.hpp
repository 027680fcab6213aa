// The ranking of parameters by a surrogate, with what neither sampling nor few runs can hide.
#pragma once
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/variance_shares.hpp>

namespace renth {

struct RankOptions {
  int samples = 1024;   ///< base points a replicate, a power of two
  int replicates = 8;   ///< independent scrambles; their scatter is the sampling error
  double level = 0.95;  ///< of the intervals
  int all_folds = 0;    ///< folds in all, if only some of their models are given; 0: these are all
};

struct RankedParameter {
  Eigen::Index parameter = 0;
  double share = 0, low = 0, high = 0;  ///< low and high bound share
  double first = 0, total = 0;          ///< NaN for Shapley effects
  std::string direction;                ///< up, down, mixed, none
};
struct RankedPair {
  Eigen::Index a = 0, b = 0;
  double share = 0, low = 0, high = 0;
};

struct Ranking {
  std::string method;                       ///< "sobol" or "shapley"
  std::vector<RankedParameter> parameters;  ///< largest share first
  std::vector<RankedPair> interactions;     ///< largest first; empty for Shapley effects
  double unexplained = 0;                   ///< interactions of three and more; 0 for Shapley effects
  double variance = 0;
};

/// Shares with intervals that join two errors: the sampling error over replicates, and the
/// uncertainty of the surrogate, by the delete-a-group jackknife over the models that
/// cross-validation fitted without one fold each (J. Shao and C. F. J. Wu, Annals of Statistics 17,
/// 1989): var = (K − 1)/K Σ (θ_k − θ̄)².
///
/// Sobol' indices where no limit cuts the box, Shapley effects where one does.
///
/// \param whole   the surrogate's mean.
/// \param folds   means of the models without one fold each; may be empty.
Ranking rank_parameters(const Space& space, const Evaluate& whole, const std::vector<Evaluate>& folds,
                        const RankOptions& options, Seed seed);

}  // namespace renth
