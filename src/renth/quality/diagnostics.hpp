// What the residuals of a regression say: which runs stand out, and whether the assumptions hold.
#pragma once
#include <renth/fit/regression.hpp>
#include <renth/quality/normality.hpp>
#include <string>
#include <vector>

namespace renth {

/// One run that an analyst should look at.
struct Standout {
  Eigen::Index row = 0;
  std::string why;  ///< what is odd and what to consider, a sentence
};

/// Figures of every run (n), in rows' order; NaN where a run decides its own prediction (leverage 1) or there
/// are no degrees of freedom. Of a transformed response they are those of z.
struct Diagnostics {
  Eigen::VectorXd fitted, residual;
  Eigen::VectorXd internal;  ///< e/(s√(1 − h)), weighted
  Eigen::VectorXd external;  ///< the same with s from the other runs
  Eigen::VectorXd leverage;  ///< h
  Eigen::VectorXd
      cook;  ///< how far the coefficients move without the run (R. D. Cook, Technometrics 19, 1977)
  Eigen::VectorXd dffits;    ///< how far its own prediction moves, in standard errors
  Eigen::VectorXd left_out;  ///< ŷ of a fit without the run; NaN in whole plots
  double outlier_bound =
      0;                  ///< |external| beyond which chance is unlikely among so many runs (Bonferroni, 5 %)
  double cook_bound = 0;  ///< the median of F(p, n − p)
  bool exact = false;     ///< the fit meets every run: residuals are rounding, and nothing is tested

  TestResult normality;        ///< of the internally studentised residuals
  std::string normality_test;  ///< "Shapiro–Wilk", "Anderson–Darling" beyond 5000 runs
  TestResult variance;         ///< constant variance
  TestResult order;            ///< independence of the order of the runs
  std::vector<Standout> standouts;
};

/// Formulas: R. D. Cook and S. Weisberg, Residuals and Influence in Regression, 1982, sections 2.1, 2.2, 3.1;
/// D. A. Belsley, E. Kuh, R. E. Welsch, Regression Diagnostics, 1980, equations 2.7–2.11.
///
/// Constant variance: T. S. Breusch and A. R. Pagan, Econometrica 47, 1979, against the fitted values, with
/// the studentised statistic n·R² of R. Koenker, Journal of Econometrics 17, 1981. Order: d of J. Durbin and
/// G. S. Watson, Biometrika 38, 1951, two-sided p from the beta distribution on (0, 4) with d's exact mean
/// and variance (section 4); beyond 5000 runs from the normal distribution with variance 4/n.
Diagnostics diagnose(const Regression& fit);

}  // namespace renth
