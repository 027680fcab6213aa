// What a plan can tell about a list of terms, before any response exists.
#pragma once
#include <Eigen/Core>
#include <renth/space/space.hpp>
#include <renth/terms/terms.hpp>
#include <renth/terms/whole_plots.hpp>
#include <string>
#include <vector>

namespace renth {

/// Runs in whole plots, and the variance of a plot's error to that of a run.
struct PlotErrors {
  WholePlots plots;  ///< none: all errors are independent
  double ratio = 1;
};

/// Figures of n points and p terms in coded units and contrasts; M = XᵀX/n, with whole plots XᵀV⁻¹X/n (V:
/// WholePlots), and XᵀV⁻¹X for XᵀX below. NaN where undefined.
struct Information {
  bool estimable = false;     ///< all terms can be told apart; else only `confounded` is meant to be read
  std::string confounded;     ///< which cannot, in words
  double log_det = 0;         ///< ln det M
  double d_efficiency = 0;    ///< det(M)^(1/p); 0 if not estimable
  double a_efficiency = 0;    ///< p/trace(M⁻¹)
  double i_value = 0;         ///< mean over the region of xᵀ(XᵀX)⁻¹x
  double max_vif = 0;         ///< largest of vif
  double condition = 0;       ///< 2-norm condition number of M
  Eigen::VectorXd std_error;  ///< p: of each coefficient, per σ of one run
  Eigen::VectorXd vif;        ///< p: variance inflation; NaN for the constant
  Eigen::VectorXd leverage;   ///< n: diagonal of X(XᵀX)⁻¹Xᵀ
  Eigen::MatrixXd inverse;    ///< (XᵀX)⁻¹, p × p
};

/// \param moments  region_moments(space, terms), for the mean over the region.
Information information(const Space& space, const Terms& terms, Points points, const Eigen::MatrixXd& moments,
                        const PlotErrors& errors = {});

/// Whether a term changes between whole plots alone, as those of hard parameters do.
bool between_plots(const Space& space, const Term& term);

/// Chance to see a change of `sigmas` standard deviations between −1 and +1 of a coefficient's term at level
/// `alpha`, two-sided, by the noncentral F distribution with n − p degrees of freedom. NaN without any.
double power(double std_error_per_sigma, double degrees_of_freedom, double sigmas, double alpha = 0.05);

/// xᵀ(XᵀX)⁻¹x at each point (m), per σ². \param inverse  (XᵀX)⁻¹.
Eigen::VectorXd prediction_variances(const Space& space, const Terms& terms, const Eigen::MatrixXd& inverse,
                                     Points points);

/// xᵀ(XᵀX)⁻¹x over the region, per σ².
struct PredictionVariance {
  double min = 0, mean = 0, max = 0;
  Eigen::VectorXd max_at;  ///< natural units
  /// The variance that a share of the region does not exceed, at shares 0, 0.01, … 1 (A. Zahran,
  /// C. M. Anderson-Cook, R. H. Myers, J. Quality Technology 35, 2003).
  std::vector<std::pair<double, double>> fraction;
};

/// Shares from 16 384 evenly spread points; the extremes besides by climbing from the best of them, the
/// corners and the faces' middles, coordinate by coordinate.
/// \param inverse  (XᵀX)⁻¹.
PredictionVariance prediction_variance(const Space& space, const Terms& terms, const Eigen::MatrixXd& inverse,
                                       const Eigen::MatrixXd& moments);

/// The largest xᵀ(XᵀX)⁻¹x over the region alone, quicker; `at` gets the place.
double largest_variance(const Space& space, const Terms& terms, const Eigen::MatrixXd& inverse,
                        Eigen::VectorXd* at = nullptr);

}  // namespace renth
