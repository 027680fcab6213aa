// All responses of a model at any settings, derived ones included.
#pragma once
#include <memory>
#include <renth/numeric/loop.hpp>
#include <renth/predict/model.hpp>
#include <vector>

namespace renth {

/// What is predicted of one response at m points; every matrix is m × q, one column or one an axis point.
struct ResponsePrediction {
  int response = 0;  ///< its number in the problem
  Eigen::MatrixXd mean, sd;
  Eigen::MatrixXd confidence_low, confidence_high, prediction_low, prediction_high;
  Eigen::MatrixXd calibrated_low, calibrated_high;  ///< no columns: not available
};

/// What is predicted of all responses that a model has, at m points.
struct Predictions {
  Eigen::MatrixXd points;            ///< m × d
  std::vector<char> inside;          ///< m: within the region that the runs cover
  std::vector<double> failure_risk;  ///< m: the chance that the solver fails; empty: none was learned
  std::vector<ResponsePrediction> responses;  ///< in the order of the problem

  Eigen::Index size() const { return points.rows(); }
  const ResponsePrediction* of(int response) const;  ///< nullptr: not among them
};

/// What of a model is asked. Calibrated bounds ask the surrogate of every fold, which may be a hundred times
/// the rest.
struct PredictionsAsked {
  std::vector<int> responses;  ///< empty: all that the model has
  bool calibrated = true;
  /// Whether points lie where the runs are, which costs a search among these, and the chance of failing
  /// there.
  bool inside = true;
};

/// Asks a model. Re-entrant; points are cut into blocks of fixed size, as many at a time as the loop does, so
/// that the answers are the same with any.
class Predictor {
 public:
  /// \throws Error  the model contradicts itself: as check_model().
  explicit Predictor(std::shared_ptr<const Model> model, Loop loop = serial_for);

  /// Means, standard deviations and intervals at one level. The error of a derived response is carried
  /// through from each response it is made of, one standard deviation to either side, as if the errors of
  /// different responses were independent. Of a curve it is the larger of what follows if errors are the same
  /// all along it, and if every axis point has its own.
  ///
  /// \throws Error  as check_points(); a level that is not between 0 and 1; a response that the model lacks.
  Predictions predict(Points points, double level, const PredictionsAsked& asked = {}) const;

  /// Means of all scalar responses, in their order, then the margins that conditions on parameters, responses
  /// and curves have by the means (m × (r + c)); NaN for curves, what the model lacks and what is undefined.
  /// \param wanted  numbers of the responses that are asked for, the others may be NaN; empty: all.
  Eigen::MatrixXd means(Points points, const std::vector<Expression>& conditions = {},
                        const std::vector<int>& wanted = {}) const;

  /// Mean of one response (m × q), by the whole model or by the one without a fold.
  Eigen::MatrixXd mean_of(int response, Points points, int fold = -1) const;

  /// The limits between parameters as margins (m × l): ≥ 0 holds. They need no surrogate.
  Eigen::MatrixXd margins(Points points) const;

  /// Joint covariance (m × m) of the mean of a response; of a curve at one axis point. Of a derived response
  /// by its slopes in each of those it is made of, as if the errors of different responses were independent,
  /// and of a curve the same all along it.
  Eigen::MatrixXd covariance(int response, Points points, Eigen::Index output = 0) const;

  const Model& model() const { return *model_; }
  const Problem& problem() const { return model_->problem; }
  bool has(int response) const { return ready_[std::size_t(response)]; }
  bool inside(const Eigen::VectorXd& point) const { return model_->coverage.inside(point); }

 private:
  void need(int response) const;
  struct Base;
  Predictions predict_block(Points points, double level, const PredictionsAsked& asked) const;
  ResponsePrediction fitted(int response, Points points, const Base& base, double level,
                            bool calibrated) const;
  ResponsePrediction derived(int response, Points points, const std::vector<Base>& base, double level) const;
  Eigen::MatrixXd means_of_block(Points points, const std::vector<Expression>& conditions,
                                 const std::vector<int>& wanted) const;
  std::shared_ptr<const Model> model_;
  Loop loop_;
  std::vector<bool> ready_;
};

}  // namespace renth
