// Kriging of a response on a logarithmic scale, where the runs ask for it.
#pragma once
#include <renth/fit/kriging_fit.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// Fits the logarithm of the response above a bound, or below one, if that is clearly likelier than the
/// response itself: the log-likelihood, with the slope of the scale (G. E. P. Box and D. R. Cox, Journal of
/// the Royal Statistical Society B 26, 1964, section 3; E. Snelson, C. E. Rasmussen, Z. Ghahramani, Advances
/// in Neural Information Processing Systems 16, 2004), is larger by more than five.
///
/// \param needed  only then; else the likeliest scale is taken, however that is.
/// \throws Error  as kriging_fit(). \throws Unneeded  no logarithmic scale is clearly likelier, if `needed`.
Fit warped_kriging_fit(KrigingOptions options = {}, bool needed = true);

/// The same again on part of the runs: the room left by the scale is chosen again from those near by.
/// \param whole  outlives what is made.
Fit warped_kriging_again(KrigingOptions options, const Surrogate& whole);

}  // namespace renth
