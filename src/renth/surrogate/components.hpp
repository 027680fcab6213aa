// A curve along an axis as a whole: a mean curve and a few shapes that it is made of.
#pragma once
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// The shapes of curves and how much of each is in each run.
struct CurveShapes {
  Eigen::VectorXd mean, scale;  ///< q, of each axis point
  Eigen::MatrixXd shapes;       ///< q × r, orthonormal
  Eigen::MatrixXd scores;       ///< n × r
  Eigen::VectorXd left_over;    ///< q, mean square that the shapes do not follow, in the output's unit
  double share = 0;             ///< of the variance of scaled outputs that the shapes carry
};

/// Principal components of the outputs, every axis point scaled to variance 1, as many as carry `share` of
/// the variance. Axis points that are missing are filled in turn by what the shapes say of them (the
/// iteration of B. Grung and R. Manne, Chemometrics and Intelligent Laboratory Systems 42, 1998).
///
/// \param curves  n × q, NaN where missing; each axis point in two runs at least.
CurveShapes curve_shapes(const Eigen::MatrixXd& curves, double share, int most);

/// Fits each component's scores with `fit`; with one output it is the fit itself.
///
/// \param fits  one for all components, or one a component.
/// \throws Error  an axis point that is in no run or never varies.
Fit along_components(std::vector<Fit> fits, double share = 0.9999);

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
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
  Archive save() const override;
  const State& state() const { return state_; }

 private:
  State state_;
};

}  // namespace renth
