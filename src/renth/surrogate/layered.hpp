// One surrogate of a response, and another of what it leaves.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// The mean is that of both together; the errors are those of the second, which knows what the first one
/// misses.
class Layered final : public Surrogate {
 public:
  Layered(std::shared_ptr<const Surrogate> base, std::shared_ptr<const Surrogate> rest)
      : base_(std::move(base)), rest_(std::move(rest)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return base_->kind(); }
  void check(Points points) const override { base_->check(points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override {
    return rest_->covariance(points, output);
  }
  Archive save() const override;
  const Surrogate& base() const { return *base_; }
  const Surrogate& rest() const { return *rest_; }

 private:
  std::shared_ptr<const Surrogate> base_, rest_;
};

}  // namespace renth
