// Correlation lengths of many thousands of runs.
#pragma once
#include <renth/fit/fit.hpp>
#include <renth/fit/kriging_fit.hpp>

namespace renth {

/// Fits as kriging_fit, at a cost that grows as n log n with the runs.
///
/// Lengths maximise Vecchia's likelihood (A. V. Vecchia, Journal of the Royal Statistical Society B 50, 1988;
/// a review is M. Katzfuss and J. Guinness, Statistical Science 36, 2021): runs in random order, each given
/// its nearest among the first half or more of those before it. Of more than `likelihood_runs`
/// runs the terms of that many are summed. The search starts where that on `part` of the runs ended.
Fit nearest_kriging_fit(KrigingOptions options = {});

}  // namespace renth
