// A surrogate of the logarithm of a response.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// z = ln(sign·y + shift): the log-normal of three parameters, and its mirror image.
struct LogScale {
  int sign = 1;      ///< 1 stretches the low values, −1 the high ones
  double shift = 0;  ///< in the unit of y
  double room =
      1;  ///< by how many ranges of the runs `shift` keeps the lowest of them from the logarithm of 0

  /// The scale for these outputs.
  static LogScale of(const Eigen::VectorXd& y, int sign, double room);
  double forward(double y) const;
  double back(double z) const;
  /// dy/dz at the z of this y.
  double slope(double y) const;
};

/// The mean is that of z carried back (the median of y), variances are carried back to first order, and
/// intervals are those of z with both ends carried back.
class Warped final : public Surrogate {
 public:
  Warped(std::shared_ptr<const Surrogate> inner, LogScale scale) : inner_(std::move(inner)), scale_(scale) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return inner_->kind(); }
  void check(Points points) const override { inner_->check(points); }
  Prediction answer(Points points, Want want) const override;
  Intervals intervals(const Prediction& prediction, double level) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const Surrogate& inner() const { return *inner_; }
  const LogScale& scale() const { return scale_; }

 private:
  std::shared_ptr<const Surrogate> inner_;
  LogScale scale_;
};

}  // namespace renth
