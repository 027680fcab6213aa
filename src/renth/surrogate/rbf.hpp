// Radial basis functions with a polynomial tail.
#pragma once
#include <mutex>
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
std::string_view name(RadialBasis basis);
/// \throws Error  an unknown name; the message lists the known ones.
RadialBasis radial_basis_named(std::string_view name);

/// Options of a fit by radial basis functions.
struct RbfOptions {
  /// Those tried; the one with the smallest leave-one-out error is kept.
  std::vector<RadialBasis> bases = {RadialBasis::cubic, RadialBasis::thin_plate, RadialBasis::multiquadric,
                                    RadialBasis::gaussian};
  /// Shapes c of multiquadric and Gaussian tried, as multiples of the mean distance between neighbours.
  std::vector<double> shapes = {0.5, 1, 2, 4, 8, 16};
  /// Beyond this many runs the basis and its shape are chosen on a random part of them.
  int part = 500;
  int most_runs = 2000;
};

/// ŷ(x) = Σ w_i φ(‖x − x_i‖) + p(x)ᵀb with Pᵀw = 0 (M. D. Buhmann, Radial Basis Functions, 2003,
/// section 1.2). The error at a run that is left out is w_i over the i-th diagonal of the inverse of the
/// bordered matrix (S. Rippa, Advances in Computational Mathematics 11, 1999), from which basis, shape and,
/// for noisy runs, smoothing are chosen.
///
/// \throws Error  fewer runs than terms in the tail and one; a response that never varies; NaN; too many
/// runs.
Fit rbf_fit(RbfOptions options = {});

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
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  Eigen::MatrixXd columns(Points points) const;  // (n + p) × m: φ and the tail
  const Eigen::MatrixXd& inverse() const;        // (n + p)², of the bordered matrix; when first needed
  State state_;
  mutable std::once_flag inverted_;
  mutable Eigen::MatrixXd inverse_;
};

/// The bordered matrix of runs and tail ((n + p)²).
Eigen::MatrixXd bordered_matrix(RadialBasis basis, double shape, double smoothing,
                                const Eigen::MatrixXd& features, const Eigen::MatrixXd& tail);
/// φ of squared distances, in place.
void radial(RadialBasis basis, double shape, Eigen::Ref<Eigen::ArrayXXd> squared);

}  // namespace renth
