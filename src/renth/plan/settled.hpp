// Runs that lie against a limit, moved to where people can set them.
#pragma once
#include <renth/space/space.hpp>

namespace renth {

/// Points whose free numbers (within their spans, no step, no sizes, no levels) are rounded as they are shown
/// (shown_decimals()), each to the side that limits allow: what is printed is the run, and holds. A limit
/// found by halving is otherwise met to the last bits, on either side of it.
/// \param points  n × d, natural units; those that hold no limit, or for which no rounding does, stay.
Eigen::MatrixXd settled(const Space& space, Eigen::MatrixXd points);

}  // namespace renth
