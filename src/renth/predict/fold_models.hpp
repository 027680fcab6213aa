// Prediction intervals that rest on what cross-validation got wrong, not on the surrogate's own word.
#pragma once
#include <memory>
#include <renth/surrogate/surrogate.hpp>
#include <vector>

namespace renth {

/// The surrogates that cross-validation fitted without one fold each, and their errors there.
class FoldModels {
 public:
  using Models = std::vector<std::shared_ptr<const Surrogate>>;
  FoldModels() = default;
  /// \param fold   n numbers of the models that have not seen each run; −1: none, and the run is left out.
  /// \param error  n × q, |y − ŷ| by that model; NaN where a run has no value.
  FoldModels(Models models, std::vector<int> fold, Eigen::MatrixXd error);

  const Models& models() const { return models_; }
  const std::vector<int>& fold() const { return fold_; }
  const Eigen::MatrixXd& error() const { return error_; }

  /// Bounds at one level for m points; empty when there are too few runs for that level.
  struct Bounds {
    Eigen::VectorXd low, high;
  };
  /// Cross-conformal intervals, the CV+ of R. F. Barber, E. J. Candès, A. Ramdas, R. J. Tibshirani, Annals of
  /// Statistics 49, 2021, equation 1.6: quantiles over the runs i of μ₋ₖ₍ᵢ₎(x) ± |y_i − μ₋ₖ₍ᵢ₎(x_i)|. They
  /// hold on average over the region that the runs were drawn from, however wrong the model is. A point costs
  /// the predictions of all folds and, of n runs, some (folds · ln n) ln n steps.
  ///
  /// \param output  column of the outputs; runs without it are passed over.
  Bounds calibrated(Points points, Eigen::Index output, double level) const;

 private:
  Models models_;
  std::vector<int> fold_;
  Eigen::MatrixXd error_;
  std::vector<std::vector<std::vector<double>>> sorted_;  // by output and fold, ascending
};

}  // namespace renth
