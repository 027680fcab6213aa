// With how many digits settings are shown to people, and what they bring back of them.
#pragma once
#include <renth/space/space.hpp>

namespace renth {

/// The decimal of twelve digits next to `value`, so that low + k·step prints as people write it.
double tidy(double value);

/// Decimals with which a number of this size has so many significant digits; 0 at least.
int decimals_of(double size, int digits);

/// Decimals with which a value of a numeric parameter is shown: as many as what can be set needs, else those
/// that make five digits of the larger end of its span.
int shown_decimals(const Parameter& p, double value);

/// Is `given` what `value` may have been shown as: rounded to shown_decimals() or more?
bool is_shown_as(const Parameter& p, double value, double given);

}  // namespace renth
