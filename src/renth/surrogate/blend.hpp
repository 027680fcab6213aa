// Several surrogates as one.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// A convex combination of surrogates; its variance is that of a mixture, Σ w (v + (μ_k − μ)²): where members
/// disagree it is large.
class Blend final : public Surrogate {
 public:
  using Members = std::vector<std::shared_ptr<const Surrogate>>;
  Blend(Members members, Eigen::VectorXd weights)
      : members_(std::move(members)), weights_(std::move(weights)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "blend"; }
  void check(Points points) const override { members_[0]->check(points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const Members& members() const { return members_; }
  const Eigen::VectorXd& weights() const { return weights_; }

 private:
  Members members_;
  Eigen::VectorXd weights_;
};

}  // namespace renth
