// Kriging for many thousands of runs: every prediction from its nearest runs only.
#pragma once
#include <renth/numeric/kd_tree.hpp>
#include <renth/surrogate/kriging.hpp>

namespace renth {

/// Mean and variance given the nearest runs. The trend counts as known: with so many runs it is.
class NearestKriging final : public Surrogate {
 public:
  static constexpr int neighbours = 40;  ///< behind each prediction
  static constexpr int likelihood_runs = 4000;

  struct State : Process {
    Eigen::MatrixXd runs;      ///< n × f features divided by θ
    Eigen::VectorXd residual;  ///< n, y − centre − Fβ
  };
  explicit NearestKriging(State state);
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "kriging"; }
  void check(Points points) const override { check_points(state_.space, points); }
  Prediction answer(Points points, Want want) const override;
  /// Of the errors of the predictions, each from its own runs.
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  struct Local;
  void at(const double* scaled, Local& local) const;
  State state_;
  Eigen::MatrixXd columns_;  // f × n
  KdTree tree_;
};

}  // namespace renth
