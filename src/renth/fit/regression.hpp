// Weighted least squares on polynomial terms and blocks, to the last digit: what fits and what statistics
// share.
#pragma once
#include <algorithm>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/transform.hpp>
#include <renth/terms/terms.hpp>
#include <renth/terms/whole_plots.hpp>
#include <vector>

namespace renth {

/// What happens to a term that the runs cannot tell from others: an error that names both, or leave it out
/// (the later one in canonical order), as cross-validation must with fewer runs.
enum class Confounded { refuse, leave_out };

/// Numbers with the 64-bit mantissa of the x87.
using Extended = Eigen::Matrix<long double, Eigen::Dynamic, 1>;

/// A least-squares fit with everything from which its statistics follow.
///
/// Columns stand in this order: the constant, the contrasts of the blocks, the other terms in canonical
/// order. Rows are multiplied by the roots of the weights, or with whole plots by V^(−1/2) of
/// variance_ratio_of(), so that all formulas for equal weights hold: generalised least squares.
struct Regression {
  Terms terms;                       ///< those that were fitted
  std::vector<Eigen::Index> column;  ///< of each term
  Eigen::Index block_columns = 0;    ///< from column `first_block` on
  Eigen::Index first_block = 0;
  std::vector<int> block_of;        ///< n numbers 0, 1, … of the blocks that occur; empty: one block
  Eigen::MatrixXd block_contrasts;  ///< blocks × block_columns
  bool constant = false;            ///< the constant is among the terms
  WholePlots plots;                 ///< none: all errors are independent
  double variance_ratio = 0;        ///< of a plot's error to a run's; may be below 0
  std::vector<bool> between;        ///< p: columns that change between whole plots alone

  Eigen::MatrixXd x;         ///< n × p, coded, weighted
  Eigen::MatrixXd r;         ///< p × p upper triangular, RᵀR = XᵀX
  Eigen::MatrixXd inverse;   ///< R⁻¹
  Extended beta;             ///< p coefficients
  Eigen::VectorXd y;         ///< n, transformed, not weighted
  Eigen::VectorXd residual;  ///< n, y − ŷ, not weighted
  Eigen::VectorXd root;      ///< n roots of the weights
  double sse = 0;            ///< Σ w (y − ŷ)², of scaled()
  double sst = 0;            ///< Σ w (y − ȳ)², of scaled(); without a constant Σ w y²

  Eigen::Index runs() const { return y.size(); }
  Eigen::Index size() const { return r.cols(); }
  double degrees_of_freedom() const { return double(runs() - size()); }
  /// Of the error between whole plots, or within them.
  double degrees_between() const;
  double degrees_within() const { return degrees_of_freedom() - degrees_between(); }
  /// Of the error that these columns are judged by: between plots if one of them changes there alone. Exact
  /// for balanced plans.
  double freedom_of(const std::vector<Eigen::Index>& columns) const;
  /// Values of the runs as the rows of x are: n, weighted or whitened.
  Eigen::VectorXd scaled(const Eigen::VectorXd& values) const;
  /// The error variance of runs, and of whole plots (0 if it was found below).
  double plot_variance() const { return plots.count() > 0 ? std::max(0.0, variance_ratio) * sigma2() : 0; }
  /// SSE/(n − p); NaN when saturated.
  double sigma2() const;
  /// n, the diagonal of the hat matrix.
  Eigen::VectorXd leverage() const;
  /// (XᵀX)⁻¹ of these columns.
  Eigen::MatrixXd covariance(const std::vector<Eigen::Index>& columns) const;
};

/// Fits the first output. R comes from Householder reflections of [X y]; the coefficients are then refined by
/// the corrected seminormal equations with coded values, coefficients and residuals in extended precision
/// (Å. Björck, Numerical Methods for Least Squares Problems, 1996, sections 2.9.3 and 6.6.5), until a step
/// changes nothing that a double could show.
///
/// \throws Error  no runs; a value that is not finite; weights that are not positive; a value that the
/// transform
///                is not made for; fewer runs than terms or confounded terms (unless they are left out).
Regression regress(const Space& space, const Data& data, const Terms& terms, const Transform& transform = {},
                   Confounded confounded = Confounded::refuse);

/// The design alone: columns, weights and R, no coefficients, nothing left out. For choosing terms.
Regression regression_design(const Space& space, const Data& data, const Terms& terms,
                             const Transform& transform = {});

}  // namespace renth
