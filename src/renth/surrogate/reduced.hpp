// A surrogate of some of the parameters.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// What on_active_parameters makes; its kind is that of the surrogate within.
class Reduced final : public Surrogate {
 public:
  Reduced(Eigen::Index parameters, std::vector<Eigen::Index> kept, std::shared_ptr<const Surrogate> inner)
      : parameters_(parameters), kept_(std::move(kept)), inner_(std::move(inner)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return inner_->kind(); }
  void check(Points points) const override;
  Prediction answer(Points points, Want want) const override;
  Intervals intervals(const Prediction& prediction, double level) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const std::vector<Eigen::Index>& kept() const { return kept_; }
  const Surrogate& inner() const { return *inner_; }

 private:
  Eigen::Index parameters_;
  std::vector<Eigen::Index> kept_;
  std::shared_ptr<const Surrogate> inner_;
};

}  // namespace renth
