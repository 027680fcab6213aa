// Moving least squares: a local polynomial round every point.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>
#include <string>
#include <vector>

namespace renth {

/// Variance: that of the local fit, with the mean square of the errors left out as that of a run.
class Moving final : public Surrogate {
 public:
  struct State {
    Space space;
    std::string model;
    Terms terms;
    int near = 0;              ///< runs with weight
    Eigen::MatrixXd features;  ///< n × f
    Eigen::MatrixXd matrix;    ///< n × p, the terms at the runs
    Eigen::VectorXd y;         ///< n
    double variance = 0;
    bool noisy = false;
  };
  explicit Moving(State state) : state_(std::move(state)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "moving"; }
  /// Gradients are central differences over a millionth of the span.
  void check(Points points) const override { check_points(state_.space, points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

  /// What each run weighs in the mean at one point (n): x its features, f its terms; one run may be left out.
  static Eigen::VectorXd weights_at(const State& state, const Eigen::VectorXd& x, const Eigen::VectorXd& f,
                                    Eigen::Index left_out = -1);

 private:
  Eigen::MatrixXd all_weights(Points points) const;  // m × n
  State state_;
};

}  // namespace renth
