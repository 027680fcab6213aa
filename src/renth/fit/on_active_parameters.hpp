// Fitting some of the parameters.
#pragma once
#include <functional>
#include <renth/fit/fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/data.hpp>
#include <vector>

namespace renth {

/// Fits on the parameters that `active` picks for the runs at hand; the others carry no information and do
/// not change the prediction.
Fit on_active_parameters(std::function<std::vector<Eigen::Index>(const Space&, const Data&, Seed)> active,
                         Fit fit);

}  // namespace renth
