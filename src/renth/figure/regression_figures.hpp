// Figures of a polynomial fit.
#pragma once
#include <renth/figure/gnuplot.hpp>
#include <renth/study/results.hpp>

namespace renth {

/// Four panels: studentised residuals against fitted values with a trend, against normal quantiles with their
/// 95 % band, in run order, and against leverage with lines of equal Cook's distance. Runs that stand out are
/// labelled. \throws Error  no residual degrees of freedom.
Gnuplot draw_residuals(const Study& study, const ModelResult& model);

/// One panel: studentised residuals against a parameter, with a trend for numbers.
Gnuplot draw_residuals_against(const Study& study, const ModelResult& model, Eigen::Index parameter);

/// Left: the effects as bars, largest first, with the line of significance (Lenth's margins when there is no
/// error estimate); right: the same on half-normal paper, where noise lies on a line.
Gnuplot draw_effects(const Study& study, const ModelResult& model, double level);

}  // namespace renth
