// Outputs in standard deviations.
#pragma once
#include <Eigen/Core>
#include <renth/surrogate/data.hpp>
#include <string_view>

namespace renth {

/// The first output about its mean, in standard deviations: y = centre + spread·z.
struct Standardised {
  double centre = 0, spread = 1;
  Eigen::VectorXd z;
};
/// \param kind  of surrogate, named in errors.
/// \throws Error  an output that is not finite; all outputs the same.
Standardised standardise(const Data& data, std::string_view kind);

}  // namespace renth
