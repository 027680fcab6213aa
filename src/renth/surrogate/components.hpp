// A curve along an axis as a whole: a mean curve and a few shapes that it is made of.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// What along_components makes: at axis point j the mean is m_j + s_j Σ_k V_jk z_k, and variances of the
/// scores are carried along as if independent, with what the shapes leave over.
class Components final : public Surrogate {
 public:
  struct State {
    Eigen::VectorXd mean, scale, left_over;
    Eigen::MatrixXd shapes;
    double share = 0;
    bool noisy = false;
    std::vector<std::shared_ptr<const Surrogate>> scores;
  };
  explicit Components(State state) : state_(std::move(state)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return state_.scores.front()->kind(); }
  void check(Points points) const override { state_.scores[0]->check(points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  State state_;
};

}  // namespace renth
