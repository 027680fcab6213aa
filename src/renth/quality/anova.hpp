// Analysis of variance of a polynomial fit.
#pragma once
#include <renth/fit/regression.hpp>
#include <renth/surrogate/data.hpp>
#include <string>
#include <vector>

namespace renth {

/// One row of the table; NaN where a figure cannot be had.
struct AnovaRow {
  /// model, blocks, linear, products, squares, higher, a term (all contrasts of a choice together,
  /// "hull", "radius*hull"), residual, curvature, lack_of_fit, pure_error or total.
  std::string source;
  double df = 0;
  double ss = 0;             ///< partial: given all other terms
  double ss_sequential = 0;  ///< given the terms before it, blocks first
  double ms = 0, f = 0, p = 0;
  double share = 0;  ///< ss_sequential/total
};

/// The table with what else it shows.
struct Anova {
  std::vector<AnovaRow> rows;
  double lack_of_fit_p = 0;  ///< NaN without replicates or without degrees of freedom left
  double curvature_p = 0;    ///< NaN where there is no such row
  double pure_error = 0;     ///< sum of squares
  int pure_error_df = 0;
  bool axial_runs = false;  ///< some runs are neither corners nor centres

  const AnovaRow* find(const std::string& source) const;
};

/// Sums of squares of terms come from the refined coefficients: sequential ones as the squares of R·β,
/// partial ones as βᵀ[(XᵀX)⁻¹]⁻¹β of the term's columns (N. R. Draper and H. Smith, Applied Regression
/// Analysis, 3rd ed., 1998, sections 6.1 and 9.1). Residual = lack of fit + pure error of replicates
/// (section 2.1); the lack of fit is tested against pure error, everything else against the residual.
///
/// `curvature` is the one degree of freedom of the lack of fit that the sum of the squared coded numbers
/// takes, given a model without squares; with corners and centre runs alone it is their difference of means
/// (G. E. P. Box, J. S. Hunter, W. G. Hunter, Statistics for Experimenters, 2nd ed., 2005, section 11.1). It
/// is tested against pure error if there is any, else against the rest of the residual.
Anova analyse_variance(const Space& space, const Data& data, const Regression& fit);

}  // namespace renth
