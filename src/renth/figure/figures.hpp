// One function a figure: they differ in what they look up and draw.
#pragma once
#include <renth/figure/drawing.hpp>

namespace renth {

// \throws Error  an unknown name; no surrogate; nothing to show.
Gnuplot figure_predicted_observed(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_importance(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_importance_matrix(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_importance_curve(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_trajectories(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_swings(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_failures(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_contour(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_surface(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_slices(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_overlap(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_main_effects(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_interaction(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_residuals(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_effects(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_learning(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_curve(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_error_map(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_variance(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_region_share(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_pairs(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_correlation(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_front(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_history(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_parallel(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_yield(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_scatter(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_window(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_pass_fail(Session& session, const DrawingOptions& options, Notes& notes);
Gnuplot figure_sweep(Session& session, const DrawingOptions& options, Notes& notes);

}  // namespace renth
