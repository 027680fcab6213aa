// What has no value.
#pragma once
#include <limits>

namespace renth {

/// A figure that is not defined, a value that is missing; null in documents.
inline constexpr double undefined = std::numeric_limits<double>::quiet_NaN();

}  // namespace renth
