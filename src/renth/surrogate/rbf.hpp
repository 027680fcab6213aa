// Radial basis functions with a polynomial tail.
#pragma once
#include <renth/numeric/lazily.hpp>
#include <renth/surrogate/radial_system.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>

namespace renth {

/// The variance is that of a process with φ as its generalised covariance (G. Matheron, Advances in Applied
/// Probability 5, 1973), scaled so that the errors left out have the size they should.
class Rbf final : public Surrogate {
 public:
  struct State {
    Space space;
    RadialBasis basis = RadialBasis::cubic;
    double shape = 1;
    double shape_factor = 1;  ///< the shape in mean distances between neighbours
    double smoothing = 0;     ///< added to the diagonal
    Eigen::MatrixXd runs;     ///< n × f features
    Terms tail;
    Eigen::MatrixXd tail_matrix;  ///< n × p, the tail at the runs
    Eigen::VectorXd weights;      ///< n + p: w and b
    double centre = 0;
    double scale = 1;  ///< of the generalised covariance
    bool noisy = false;
  };
  explicit Rbf(State state) : state_(std::move(state)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "rbf"; }
  void check(Points points) const override { check_points(state_.space, points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }
  const RadialSystem& system() const;  // when first needed

 private:
  /// φ to the runs (n × m), and the tail (p × m).
  Eigen::MatrixXd to_runs(const Eigen::MatrixXd& features) const;
  Eigen::MatrixXd tail_at(Points points) const;
  State state_;
  Lazily<std::unique_ptr<const RadialSystem>> system_;
};

}  // namespace renth
