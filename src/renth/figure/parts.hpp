// What several figures look up.
#pragma once
#include <functional>
#include <limits>
#include <renth/figure/figures.hpp>
#include <renth/sensitivity/averages.hpp>
#include <renth/workflow/assessing.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <renth/workflow/judging.hpp>
#include <renth/workflow/tolerancing.hpp>
#include <renth/workflow/windowing.hpp>
#include <utility>
#include <vector>

namespace renth {

/// Predictions of one scalar response with bounds, at m points.
struct Band {
  Eigen::VectorXd mean, low, high;
};
using BandAt = std::function<Band(Points)>;
/// Averages with some parameters held.
using AverageAt = std::function<Average(const std::vector<std::pair<Eigen::Index, double>>& held)>;

/// What averages and their intervals span, for the axis that they share.
struct AverageRange {
  double low = std::numeric_limits<double>::infinity(), high = -low;
  void take(const Average& a);
  std::string command() const;
};

/// What figures of one scalar response begin with: the one named, or the first that has a surrogate.
struct OneResponse {
  OneResponse(Session& session, const DrawingOptions& options, Notes& notes);
  const FittedStudy fitted;
  const int index;
  const Predictor& predictor() const { return fitted.predictor(); }
};

/// Mean and interval of one scalar response, of the mean or of a run.
Band band_of(const Predictor& predictor, int index, Points points, double level, bool of_a_run);

/// Averages of a response that is fitted itself. \param fitted  must outlive them. \throws Error  it is
/// derived.
AverageAt average_of(const Study& study, const FittedStudy& fitted, int index, double level);

/// The runs that are fitted, as dots; none for a derived response.
Eigen::MatrixXd runs_of(Session& session, int index);

/// The one response of a figure that is fitted itself: a number or a curve.
Response one_fitted(Session& session, const DrawingOptions& options, bool curve);

/// The polynomial of the one response named, or of the first that has one; a note if it is weak or unfit.
ModelResult one_polynomial(Session& session, const DrawingOptions& options, Notes& notes);

/// The terms asked for, those the plan was made for, or the richest polynomial it carries.
Terms terms_for(const Study& study, const DrawingOptions& options, const PlanSource& source);

/// The index of a parameter named in an option. \throws Error  unknown name.
Eigen::Index parameter_named(const Study& study, const std::string& name, const char* option);

/// The parameters across and upwards: those named, else the two that matter most to a response among those
/// with values in between (`all`: among all).
std::pair<Eigen::Index, Eigen::Index> two_axes(Session& session, const DrawingOptions& options, int response,
                                               Notes& notes, bool all = false);

/// Frames the part of a picture over two parameters that the last seek found as good as the best, all
/// together, if the others are held within it. \returns  the words that explain it; empty: nothing was drawn.
std::string frame_near_best(Session& session, Gnuplot& g, Eigen::Index x, Eigen::Index y,
                            const Eigen::VectorXd& at);

/// What figures of production ask.
ToleranceRequest production_asked(const DrawingOptions& options);
WindowRequest window_asked(const DrawingOptions& options);

/// Values of a parameter that lines stand for: its ends and what lies in the middle, or up to four labels.
std::vector<double> few_values(const Parameter& parameter);

/// The setting held: `--at`, a proposal, a mark, or the nominal one.
Eigen::VectorXd setting_held(Session& session, const DrawingOptions& options);

}  // namespace renth
