// Sparse polynomial chaos: orthonormal polynomials, few of them chosen.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <string>
#include <vector>

namespace renth {

/// Options of a sparse polynomial chaos.
struct ChaosOptions {
  /// Largest total degree tried; degrees go up from 1 until two in a row predict no better.
  int most_degree = 14;
  int least_degree = 1;
  /// Interactions of total degree p enter if Σ α_j^q ≤ p^q (hyperbolic truncation): 1 takes all, less only
  /// those in which few parameters carry high powers. Each is tried.
  std::vector<double> norms = {1.0, 0.75, 0.5};
  /// Candidates at most. A degree that has more is not tried.
  int most_candidates = 1500;
};

/// For each total degree and norm the candidates are ordered by least angles (B. Efron, T. Hastie, I.
/// Johnstone, R. Tibshirani, Annals of Statistics 32, 2004); along that order least squares is refitted, and
/// the number of terms, the degree and the norm are those with the smallest leave-one-out error, corrected
/// for the number of terms: G. Blatman and B. Sudret, Journal of Computational Physics 230, 2011, equations
/// 21–24 and algorithm 1.
///
/// The polynomials are orthonormal for parameters that are uniform over their spans and levels, as the region
/// is: Legendre's for spans, discrete ones for levels, contrasts for choices.
///
/// \throws Error  fewer than four different runs; a response that never varies; NaN.
Fit chaos_fit(ChaosOptions options = {});

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
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  State state_;
};

}  // namespace renth
