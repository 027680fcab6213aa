// The polynomial response surface: least squares in coded units.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>
#include <string>
#include <vector>

namespace renth {

/// Options of a polynomial fit.
struct PolynomialOptions {
  /// The terms, by parse_terms; empty: suggested_terms() of the runs.
  Terms terms;
  /// What happens to a term that the runs cannot tell from others: an error that names both, or
  /// leave it out (the later one in canonical order), as cross-validation must with fewer runs.
  enum class Confounded { refuse, leave_out } confounded = Confounded::refuse;
};

/// Fits β by Householder QR of the coded model matrix, with two steps of refinement whose residuals
/// are formed in extended precision (Å. Björck, Numerical Methods for Least Squares Problems, 1996,
/// section 2.9.3). Blocks, if there are several, enter as sum-to-zero contrasts; predictions are
/// for the average block.
///
/// \throws Error  fewer runs than terms; confounded terms; a response that never varies.
Fit polynomial_fit(PolynomialOptions options = {});

/// One line of the table of coefficients, in coded units.
struct Coefficient {
  Term term;
  double value = 0;
  double std_error = 0, t = 0, p = 0, low = 0, high = 0;  ///< NaN without residual degrees of freedom
  double vif = 0;                                         ///< variance inflation; NaN for the constant
  double standardised = 0;  ///< value · sd(column)/sd(response); NaN for the constant
};

/// ŷ = xᵀβ; var ŷ = σ² xᵀ(XᵀX)⁻¹x; noise σ², all with n − p degrees of freedom.
class Polynomial final : public Surrogate {
 public:
  struct State {
    Space space;
    Terms terms;
    Eigen::VectorXd beta;    ///< p coefficients, coded
    Eigen::MatrixXd factor;  ///< p rows, (XᵀX)⁻¹ = factor·factorᵀ
    Eigen::VectorXd vif, standardised;
    double sigma2 = 0;  ///< residual variance; NaN when saturated
    double degrees_of_freedom = 0;
  };
  explicit Polynomial(State state) : state_(std::move(state)) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "polynomial"; }
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;

  const State& state() const { return state_; }
  std::vector<Coefficient> coefficients(double level) const;
  NaturalPolynomial natural() const { return expand_natural(state_.space, state_.terms, state_.beta); }
  /// Diagonal of the hat matrix at the runs (n).
  Eigen::VectorXd leverage(Points runs) const;

 private:
  State state_;
};

}  // namespace renth
