// How much whole plots scatter beside the runs in them.
#pragma once
#include <Eigen/Core>
#include <renth/terms/whole_plots.hpp>

namespace renth {

/// The ratio η of the variance of whole plots' errors to that of runs, by restricted maximum likelihood (H.
/// D. Patterson and R. Thompson, Biometrika 58, 1971): the least of
///   ln det V + ln det XᵀV⁻¹X + (n − r) ln yᵀPy.
/// It may be below 0 (never so far that V is no covariance): held at 0, a balanced plan's tests of hard
/// parameters would not keep their level (S. G. Gilmour and P. Goos, J. Royal Statistical Society C 58,
/// 2009). \param x  n × p, not whitened, of any rank r. \returns  1, as planned for, where the plots leave
/// nothing to tell it from.
double variance_ratio_of(const Eigen::MatrixXd& x, const Eigen::VectorXd& y, const WholePlots& plots);

}  // namespace renth
