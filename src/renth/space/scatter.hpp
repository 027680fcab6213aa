// What becomes of a setting in production.
#pragma once
#include <renth/space/space.hpp>

namespace renth {

/// The value that a drifting setting stays below with probability u in (0, 1), in the parameter's unit; may
/// leave the span. The setting itself without scatter. A lognormal's median is the setting, its `size` the
/// coefficient of variation.
double scatter_quantile(const Scatter& scatter, double setting, double u);

}  // namespace renth
