// A surrogate whose stated uncertainty was held against what cross-validation found.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// The same mean, standard deviations times a factor.
class Rescaled final : public Surrogate {
 public:
  Rescaled(std::shared_ptr<const Surrogate> inner, double factor)
      : inner_(std::move(inner)), factor_(factor) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return inner_->kind(); }
  const Surrogate& underlying() const override { return inner_->underlying(); }
  void check(Points points) const override { inner_->check(points); }
  Prediction answer(Points points, Want want) const override;
  Intervals intervals(const Prediction& prediction, double level) const override {
    return inner_->intervals(prediction, level);
  }
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  double factor() const { return factor_; }
  const std::shared_ptr<const Surrogate>& inner() const { return inner_; }

 private:
  std::shared_ptr<const Surrogate> inner_;
  double factor_;
};

}  // namespace renth
