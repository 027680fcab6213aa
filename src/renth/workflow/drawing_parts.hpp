// What the figures of one kind need, and what several share.
#pragma once
#include <renth/workflow/drawing.hpp>

namespace renth {

// One a figure; they differ in what they look up. \throws Error  an unknown name; no surrogate; nothing to
// show.
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
Gnuplot figure_sweep(Session& session, const DrawingOptions& options, Notes& notes);

/// The index of a parameter named in an option. \throws Error  unknown name.
Eigen::Index parameter_named(const Study& study, const std::string& name, const char* option);

/// The parameters across and upwards: those named, else the two that matter most to a response among those
/// with values in between (`all`: among all).
std::pair<Eigen::Index, Eigen::Index> two_axes(Session& session, const DrawingOptions& options, int response,
                                               Notes& notes, bool all = false);

/// The setting held: `--at`, a proposal, or the nominal one.
Eigen::VectorXd setting_held(Session& session, const DrawingOptions& options);

}  // namespace renth
