// A response averaged over the region with one or two parameters held: main effects and interactions.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <utility>
#include <vector>

namespace renth {

/// An average of the mean over the region and its confidence interval.
struct Average {
  double mean = 0, low = 0, high = 0;  ///< NaN: the limits leave nothing
};

/// Over 256 evenly spread points of the region with the parameters of `held` set to their values; those that
/// the limits then forbid are left out. The interval uses the joint covariance of the points, so that errors
/// that they share are not averaged away.
Average average_over_region(const Space& space, const Surrogate& surrogate, Eigen::Index output,
                            const std::vector<std::pair<Eigen::Index, double>>& held, double level);

}  // namespace renth
