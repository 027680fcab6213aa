// Which settings are as good as the best.
#pragma once
#include <optional>
#include <renth/search/seek.hpp>

namespace renth {

/// What may be lost against the best.
struct Loss {
  double amount = 0;
  bool is_share = false;  ///< of the best value; else in the unit of the response, or of the desirability
};

/// Variance of the mean of a response at m points.
using MeanVariance = std::function<Eigen::VectorXd(Points points, int response)>;

/// How far settings are from being worse than the best by more than is allowed.
///
/// With one goal its response is compared: for a target its distance from that. With several the overall
/// desirability. Without a loss, what is not significantly worse: where what is predicted of the best lies
/// below the one-sided upper bound of the mean there, at the level; of the desirability to first order, the
/// errors of different responses independent. (The error of the difference would not do: at the end of a span
/// a step away is surely worse, by next to nothing.)
class AsGood {
 public:
  /// \param best  a feasible proposal. All arguments outlive it.
  /// \throws Error  no loss and no variances.
  AsGood(const SeekProblem& problem, const std::vector<Desirability>& desirabilities, const Proposal& best,
         const std::optional<Loss>& loss, const MeanVariance& variance, double level);

  /// Margins of being as good, over the range of what is compared; responses (m × r) at the points.
  Eigen::VectorXd margins(Points points, const Eigen::MatrixXd& responses) const;

  /// The smallest margin of all: as good, every constraint, every limit; −∞ where undefined.
  Eigen::VectorXd all_margins(Points points) const;

  /// What may be lost, in the unit of what is compared; NaN if it depends on the setting.
  double allowed() const { return allowed_; }

 private:
  double worth(const Eigen::VectorXd& y) const;

  const SeekProblem& problem_;
  const std::vector<Desirability>& desirabilities_;
  const Proposal& best_;
  const MeanVariance& variance_;
  bool single_ = false;
  double best_worth_ = 0, range_ = 1, allowed_ = 0, quantile_ = 0;
  Eigen::VectorXd slopes_;  ///< of the desirability in each goal's response
};

}  // namespace renth
