// Radial basis functions with a polynomial tail.
#pragma once
#include <renth/base/words.hpp>
#include <renth/numeric/lazily.hpp>
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// φ(r), r the distance in the unit cube (two choices are 1 apart).
enum class RadialBasis {
  cubic,         ///< r³, tail linear
  thin_plate,    ///< r² ln r, tail linear
  multiquadric,  ///< −√(r² + c²), tail linear
  gaussian,      ///< e^(−r²/c²), tail constant
};
inline constexpr EnumWords<RadialBasis, 4> radial_basis_words{
    "radial basis", {"cubic", "thin-plate", "multiquadric", "gaussian"}};
constexpr std::string_view name(RadialBasis basis) {
  return radial_basis_words(basis);
}

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

 private:
  Eigen::MatrixXd columns(Points points) const;  // (n + p) × m: φ and the tail
  const Eigen::MatrixXd& inverse() const;        // (n + p)², of the bordered matrix; when first needed
  State state_;
  Lazily<Eigen::MatrixXd> inverse_;
};

/// The bordered matrix of runs and tail ((n + p)²).
Eigen::MatrixXd bordered_matrix(RadialBasis basis, double shape, double smoothing,
                                const Eigen::MatrixXd& features, const Eigen::MatrixXd& tail);
/// φ of squared distances, in place.
void radial(RadialBasis basis, double shape, Eigen::Ref<Eigen::ArrayXXd> squared);

}  // namespace renth
