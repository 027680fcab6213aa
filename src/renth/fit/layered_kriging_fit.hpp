// Kriging for more runs than one matrix holds: some of them tell the shape, all of them the details.
#pragma once
#include <renth/fit/kriging_fit.hpp>
#include <renth/surrogate/layered.hpp>

namespace renth {

/// Exact kriging of `layer_runs` of the runs, drawn at random (at most three quarters of all), with lengths
/// sought on a quarter of those; and of what it leaves of all runs, kriging by nearest runs
/// (nearest_kriging_fit()). Global and local points together err far less than either alone (A. Vakayil and
/// V. R. Joseph, Technometrics 66, 2024): at 100 000 runs a tenth of nearest runs alone on a smooth response
/// of eight parameters. The cost of the first does not grow with the runs.
Fit layered_kriging_fit(KrigingOptions options = {});

/// The same again on part of the runs, with the lengths of both as they were.
Fit layered_kriging_again(KrigingOptions options, const Layered& whole);

inline constexpr int layer_runs = 4000;

}  // namespace renth
