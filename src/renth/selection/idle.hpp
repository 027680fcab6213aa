// Parameters that carry no information.
#pragma once
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/process.hpp>

namespace renth {

/// The parameters that matter to a kriging: the longest correlation lengths first, they are taken out (their
/// lengths endless), many together and where that fails each half of them, and stay out if that lowers the
/// log-likelihood by less than `cost` in all; 1 is what Akaike's criterion charges for a parameter. Nothing
/// is refitted, and of d parameters of which a matter some a log d likelihoods are asked.
///
/// \param data  the runs that it was fitted to. \returns  ascending; never none.
std::vector<Eigen::Index> active_parameters(const Space& space, const Data& data, const Process& fitted,
                                            double cost = 1);

/// The same for use in on_active_parameters: fits the kriging first, from `warm_start` if that is given.
std::function<std::vector<Eigen::Index>(const Space&, const Data&, Seed)> active_parameters_of(
    KrigingOptions options);

}  // namespace renth
