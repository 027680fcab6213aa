// Several surrogates as one.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// The weights w ≥ 0, Σ w = 1 for which the errors E·w are smallest in squares (L. Breiman, Machine Learning
/// 24, 1996, on stacked regressions). Every set of positive weights is looked at, so there should be few
/// columns; weights below 0.005 are then left out.
///
/// \param errors  n × k, of each of k models at n runs that it has not seen; columns of NaN get weight 0.
Eigen::VectorXd convex_weights(const Eigen::MatrixXd& errors);

/// A convex combination of surrogates; its variance is that of a mixture, Σ w (v + (μ_k − μ)²): where members
/// disagree it is large.
class Blend final : public Surrogate {
 public:
  using Members = std::vector<std::shared_ptr<const Surrogate>>;
  Blend(Members members, Eigen::VectorXd weights)
      : members_(std::move(members)), weights_(std::move(weights)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "blend"; }
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const Members& members() const { return members_; }
  const Eigen::VectorXd& weights() const { return weights_; }

 private:
  Members members_;
  Eigen::VectorXd weights_;
};

}  // namespace renth
