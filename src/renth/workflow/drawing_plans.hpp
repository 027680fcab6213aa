// Figures of plans: finding what they need.
#pragma once
#include <renth/figure/plan_figures.hpp>
#include <renth/workflow/drawing.hpp>

namespace renth {

/// Names and a sentence of each figure of plans.
const std::vector<std::pair<std::string, std::string>>& plan_figure_kinds();

/// variance, region-share, pairs, correlation or sweep. \throws Error  as find_plan and assess.
Gnuplot draw_plan_figure(Session& session, const DrawingOptions& options, Notes& notes);

/// The index of a parameter named in an option. \throws Error  unknown name.
Eigen::Index parameter_named(const Study& study, const std::string& name, const char* option);

/// The setting held: `--at`, a proposal, or the nominal one.
Eigen::VectorXd setting_held(Session& session, const DrawingOptions& options);

}  // namespace renth
