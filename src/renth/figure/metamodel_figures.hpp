// Figures that show how far a surrogate can be trusted.
#pragma once
#include <renth/figure/figures.hpp>

namespace renth {

/// Q² against the number of runs: random subsets with the middle 80 %, all runs, and the power law through
/// them carried on to the target.
Gnuplot draw_learning(const Study& study, const Response& response, const LearningCurve& curve);

/// Above: a curve at one setting with its bands, and the run nearest to it. Below: R² and Q² at each axis
/// point. \param level  of the bands. \param nearest  that run's curve (NaN where missing), or empty.
struct CurveAt {
  Eigen::VectorXd mean, confidence_low, confidence_high, prediction_low, prediction_high;
  Eigen::VectorXd nearest;
  std::int64_t nearest_run = 0;
  double nearest_distance = 0;  ///< in the unit cube
  bool inside = true;
};
Gnuplot draw_curve(const Study& study, const Response& response, const Eigen::VectorXd& at,
                   const CurveAt& curve, const std::vector<AlongQuality>& along, double level);

/// Over two parameters: the standard deviation of a prediction, filled, the others held; on it every run, as
/// large as its error when it is left out, orange where the prediction was too high. The worst are labelled.
/// \param errors  of each run, prediction less observation, NaN where there is none. \param ids  theirs.
Gnuplot draw_error_map(const Study& study, const Response& response, Eigen::Index x, Eigen::Index y,
                       const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& deviation,
                       const Eigen::MatrixXd& runs, const std::vector<std::int64_t>& ids,
                       const Eigen::VectorXd& errors);

}  // namespace renth
