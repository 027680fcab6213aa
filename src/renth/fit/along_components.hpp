// A curve along an axis, fitted as a whole by its shapes.
#pragma once
#include <renth/fit/fit.hpp>
#include <vector>

namespace renth {

/// Fits each component's scores with `fit`; with one output it is the fit itself.
///
/// \param fits  one for all components, or one a component.
/// \throws Error  an axis point that is in no run or never varies.
Fit along_components(std::vector<Fit> fits, double share = 0.9999);

}  // namespace renth
