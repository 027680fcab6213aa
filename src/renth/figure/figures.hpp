// Figures of results: what is drawn, as plain data, and the script that draws it.
#pragma once
#include <functional>
#include <renth/figure/gnuplot.hpp>
#include <renth/sensitivity/averages.hpp>
#include <renth/study/results.hpp>

namespace renth {

/// Predictions of one scalar response with bounds, at m points.
struct Band {
  Eigen::VectorXd mean, low, high;
};
using BandAt = std::function<Band(Points)>;

/// One panel a response: cross-validated predictions against what was observed, check runs apart, the
/// runs that are worst labelled. On the dashed lines a prediction is 10 % off.
Gnuplot draw_predicted_observed(const Study& study, const TrustResult& trust);

/// One panel a response: shares of variance as bars with their intervals.
Gnuplot draw_importance(const Study& study, const RankResult& rank);

/// One panel a parameter: the mean through `at` with its band; steps and sizes are continuous, levels are
/// points with bars, choices categories. All panels share one scale.
/// \param inside  whether a point lies where the runs are; outside the line is dotted.
Gnuplot draw_slices(const Study& study, const Response& response, const Eigen::VectorXd& at,
                    const BandAt& band, const std::function<bool(const Eigen::VectorXd&)>& inside,
                    double level);

/// The response over two parameters, the others held: filled, with labelled lines. White where the limits
/// forbid it, dotted where the runs do not reach. Runs are marked.
/// \throws Error  a parameter that has no values in between (levels, choices).
Gnuplot draw_contour(const Study& study, const Response& response, Eigen::Index x, Eigen::Index y,
                     const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& mean,
                     const std::function<bool(const Eigen::VectorXd&)>& inside, const Eigen::MatrixXd& runs);

/// One panel a parameter: the response averaged over all others, with its band; levels and choices as points.
using AverageAt = std::function<Average(const std::vector<std::pair<Eigen::Index, double>>& held)>;
Gnuplot draw_main_effects(const Study& study, const Response& response, const AverageAt& average,
                          double level);

/// The response along `x`, one line for each of a few values of `lines`, averaged over the rest.
Gnuplot draw_interaction(const Study& study, const Response& response, Eigen::Index x, Eigen::Index lines,
                         const AverageAt& average, double level);

/// Where over two parameters, the others held, every response lies within its accept limits: by its mean, and
/// by its whole prediction interval. Thin lines of each response, thick ones at its limits. \param band mean
/// and prediction interval of the k-th response. \param share  receives the share of the allowed picture
/// where all means are acceptable. \throws Error  a parameter that has no values in between.
Gnuplot draw_overlap(const Study& study, const std::vector<const Response*>& responses, Eigen::Index x,
                     Eigen::Index y, const Eigen::VectorXd& at,
                     const std::function<Band(std::size_t, Points)>& band, const Eigen::MatrixXd& runs,
                     double level, double& share);

/// The response as a surface over two parameters, its lines and the runs on the floor beneath.
/// \throws Error  as draw_contour().
Gnuplot draw_surface(const Study& study, const Response& response, Eigen::Index x, Eigen::Index y,
                     const Eigen::VectorXd& at, const std::function<Eigen::VectorXd(Points)>& mean,
                     const Eigen::MatrixXd& runs);

/// Failed and done runs over two parameters, the cuts of the rule dashed, the learned chance of success
/// shaded (averaged over the other settings as they occur in the runs) if both have values in between. \param
/// success  probabilities at points; may be empty.
Gnuplot draw_failures(const Study& study, const Eigen::MatrixXd& points, const std::vector<bool>& failed,
                      const SeparatingRule& rule, const std::string& rule_words, Eigen::Index x,
                      Eigen::Index y, const std::function<Eigen::VectorXd(Points)>& success);

}  // namespace renth
