// Moving least squares: a local polynomial round every point.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <renth/terms/terms.hpp>
#include <string>
#include <vector>

namespace renth {

/// Options of moving least squares.
struct MovingOptions {
  /// Local models tried, as TERMS; those with more terms than half the runs are not, but for the first.
  std::vector<std::string> models = {"linear", "quadratic"};
  /// Runs within the bandwidth tried, as multiples of the terms of the local model.
  std::vector<double> reaches = {1.3, 1.6, 2, 3, 5, 8};
  /// Runs within the bandwidth, if that is known: then no reach is tried.
  int near = 0;
  int judged = 500;      ///< runs at most at which errors are looked at
  int most_runs = 5000;  ///< every prediction looks at all of them
};

/// At each point a polynomial in coded units is fitted to the nearest runs by weighted least squares, weights
/// (1 − (r/h)²)³, h the distance to the first run that is left out (P. Lancaster and K. Salkauskas,
/// Mathematics of Computation 37, 1981; W. S. Cleveland and S. J. Devlin, Journal of the American Statistical
/// Association 83, 1988). The local model and the number of runs are those with the smallest error at the
/// runs, each left out.
///
/// \throws Error  fewer runs than a local linear model needs; a response that never varies; NaN; too many
/// runs.
Fit moving_fit(MovingOptions options = {});

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
  Prediction predict(Points points, Want want = {}) const override;
  Eigen::MatrixXd covariance(Points points, Eigen::Index output) const override;
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
