// The one interface behind which every kind of surrogate stands.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <memory>
#include <renth/numeric/archive.hpp>
#include <renth/numeric/loop.hpp>
#include <renth/space/space.hpp>
#include <string_view>
#include <vector>

namespace renth {

/// What to compute besides the mean.
struct Want {
  bool variance = false;
  bool gradient = false;
  bool parts = false;  ///< with the variance: the parts that the errors of a curve are made of
};

/// One of the independent parts that the errors of a curve are made of: by how much one standard deviation of
/// it moves the curve at each axis point, with its sign (m × q).
struct ErrorPart {
  Eigen::MatrixXd model;  ///< of the mean
  Eigen::MatrixXd noise;  ///< of one more run, besides
};

/// Predictions at m points of q outputs.
struct Prediction {
  Eigen::MatrixXd mean;            ///< m × q
  Eigen::MatrixXd model_variance;  ///< m × q, variance of the mean; NaN without an error estimate
  Eigen::MatrixXd noise_variance;  ///< m × q, what one more run would scatter besides
  double degrees_of_freedom = 0;   ///< behind the variances
  std::vector<ErrorPart> parts;    ///< of a curve whose errors are known to go together; their squares add up
                                   ///< to the variances
  std::vector<Eigen::MatrixXd> mean_gradient;  ///< per output m × d, by natural value; 0 for choices
};

/// Roots of variances, which rounding may leave below 0; NaN (no error estimate) stays.
Eigen::MatrixXd deviations(const Eigen::MatrixXd& variance);

/// Bounds at one level: of the mean (confidence) and of one more run (prediction); each m × q.
struct Intervals {
  Eigen::MatrixXd confidence_low, confidence_high, prediction_low, prediction_high;
};

/// An immutable fitted model; every function may be called from several threads at once.
class Surrogate {
 public:
  virtual ~Surrogate() = default;
  /// Name of the kind, as `fit` takes it.
  virtual std::string_view kind() const = 0;
  /// The surrogate that makes the predictions, without what only restates how far they can be believed. Its
  /// coefficients: polynomial_of().
  virtual const Surrogate& underlying() const { return *this; }
  /// \param points  m × d, natural units. \throws Error  as check().
  Prediction predict(Points points, Want want = {}) const {
    check(points);
    return answer(points, want);
  }
  /// Two-sided intervals from Student's t; `level` in (0, 1).
  virtual Intervals intervals(const Prediction& prediction, double level) const;
  /// Joint covariance (m × m) of the mean of one output at `points`.
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const {
    check(points);
    return joint_covariance(points, output);
  }
  /// Can the points be asked? \throws Error  as check_points(), of the parameters it was fitted on.
  virtual void check(Points points) const = 0;
  /// Bytes that load_surrogate turns into the same model, bit for bit.
  virtual Archive save() const = 0;

 protected:
  // What a kind says of points that have been checked.
  virtual Prediction answer(Points points, Want want) const = 0;
  virtual Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const = 0;
};

/// Predicts many points in blocks of fixed size, as many at a time as the loop does: the same bits with any.
Prediction predict_in_blocks(const Surrogate& surrogate, Points points, Want want = {},
                             const Loop& loop = serial_for);

/// The parameters that a model was fitted on, for its archive; limits are not kept.
void save_space(ArchiveWriter& out, const Space& space);
Space load_space(ArchiveReader& in);

}  // namespace renth
