// Sparse polynomial chaos: orthonormal polynomials, few of them chosen.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <string>
#include <vector>

namespace renth {

/// One basis function: a product of one-parameter polynomials, ascending by parameter.
struct ChaosTerm {
  struct Factor {
    int parameter = 0;
    int degree = 1;  ///< of a choice: which contrast, 1 … c − 1
    bool operator==(const Factor&) const = default;
  };
  std::vector<Factor> factors;  ///< none: the constant
  bool operator==(const ChaosTerm&) const = default;
};

/// The recurrence of polynomials orthonormal on the parameter's values up to a degree: x p_j = b_{j+1}
/// p_{j+1} + a_j p_j + b_j p_{j−1}, x from −1 to 1 (W. Gautschi, Orthogonal Polynomials, 2004, section 2.2,
/// Stieltjes' procedure for levels; Legendre's is known). b_j = 0: there are no more.
void chaos_recurrence(const Parameter& p, int degree, Eigen::VectorXd& a, Eigen::VectorXd& b);

/// Values of basis functions (m × terms) at points in natural units.
Eigen::MatrixXd chaos_matrix(const Space& space, const std::vector<ChaosTerm>& terms, Points points);

/// ŷ = Ψ(x)β. Of an exact solver what the chosen terms leave over is error of the model, of a noisy one
/// noise; its variance is the corrected leave-one-out error's.
class Chaos final : public Surrogate {
 public:
  struct State {
    Space space;
    std::vector<ChaosTerm> terms;  ///< the constant first
    Eigen::VectorXd beta;
    Eigen::MatrixXd factor;  ///< p × p, (ΨᵀΨ)⁻¹ = factor·factorᵀ
    double variance = 0;     ///< left over, of one run
    bool noisy = false;
    double degrees_of_freedom = 0;
    int degree = 0;
    double norm = 1;
  };
  explicit Chaos(State state) : state_(std::move(state)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "chaos"; }
  void check(Points points) const override { check_points(state_.space, points); }
  Prediction answer(Points points, Want want) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  State state_;
};

}  // namespace renth
