// The polynomial response surface: least squares in coded units.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <renth/surrogate/transform.hpp>
#include <renth/terms/nested_sum.hpp>
#include <string>
#include <vector>

namespace renth {

/// One line of the table of coefficients, in coded units.
struct Coefficient {
  Term term;
  double value = 0;
  double std_error = 0, t = 0, p = 0, low = 0, high = 0;  ///< NaN without residual degrees of freedom
  double vif = 0;                                         ///< variance inflation; NaN for the constant
  double standardised = 0;  ///< value · sd(column)/sd(response); NaN for the constant
};

/// ŷ = xᵀβ; var ŷ = σ² xᵀ(XᵀX)⁻¹x; noise σ², all with n − p degrees of freedom. Of runs in whole plots V⁻¹
/// stands within XᵀX, the noise is that of a run in a plot of its own, and degrees of freedom are those of
/// the plots. With a transformed response the mean is that of z carried back (the median of y), variances are
/// carried back to first order, and intervals are those of z with both ends carried back.
class Polynomial final : public Surrogate {
 public:
  struct State {
    Space space;
    Terms terms;
    Eigen::VectorXd beta;    ///< p coefficients, coded
    Eigen::VectorXd tail;    ///< what they have beyond a double
    Eigen::MatrixXd factor;  ///< p rows, (XᵀX)⁻¹ = factor·factorᵀ
    Eigen::VectorXd vif, standardised;
    double sigma2 = 0;  ///< residual variance; NaN when saturated
    double degrees_of_freedom = 0;
    Transform transform;
    double plot_variance = 0;  ///< of runs in whole plots: variance between those
    Eigen::VectorXd freedom;   ///< of such runs: degrees of freedom of each coefficient's error
  };
  /// \throws Error  a term beyond order 15.
  explicit Polynomial(State state)
      : state_(std::move(state)), mean_(state_.space, state_.terms, state_.beta) {}
  static std::unique_ptr<const Surrogate> load(const Archive& archive);

  std::string_view kind() const override { return "polynomial"; }
  void check(Points points) const override { check_points(state_.space, points); }
  Prediction answer(Points points, Want want) const override;
  Intervals intervals(const Prediction& prediction, double level) const override;
  Eigen::MatrixXd joint_covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;

  const State& state() const { return state_; }
  std::vector<Coefficient> coefficients(double level) const;
  NaturalPolynomial natural() const {
    return expand_natural(state_.space, state_.terms, state_.beta, state_.tail);
  }

 private:
  State state_;
  NestedSum mean_;
};

/// The polynomial that a surrogate is, with its terms, coefficients and equation; null if it is none.
const Polynomial* polynomial_of(const Surrogate& surrogate);

}  // namespace renth
