// Figures of plans, before any response exists.
#pragma once
#include <renth/figure/gnuplot.hpp>
#include <renth/study/results.hpp>

namespace renth {

/// xᵀ(XᵀX)⁻¹x per σ²: over two parameters as a contour, the others held at `at`, beside slices along every
/// number through `at`. Runs are marked.
Gnuplot draw_variance(const Study& study, const std::string& name, const Assessment& assessment,
                      Eigen::Index x, Eigen::Index y, const Eigen::VectorXd& at, const Eigen::MatrixXd& runs);

/// For each plan the prediction variance that a share of the region does not exceed, all in one picture.
struct NamedAssessment {
  std::string name;
  Assessment assessment;
};
Gnuplot draw_region_share(const Study& study, const std::vector<NamedAssessment>& plans);

/// All projections on two parameters, marked by origin. Choices and levels are spread a little where runs
/// would hide one another. \throws Error  more than 10 parameters.
Gnuplot draw_pairs(const Study& study, const std::string& name, const Eigen::MatrixXd& points,
                   const std::vector<std::string>& origins);

/// Correlations between the columns of the model matrix, and of the products and squares besides.
Gnuplot draw_correlation(const Study& study, const std::string& name, const Terms& terms,
                         const Eigen::MatrixXd& points);

/// D-efficiency and the largest variance inflation against the number of runs, knee and suggestion marked.
Gnuplot draw_sweep(const Study& study, const std::string& model, const Sweep& sweep);

}  // namespace renth
