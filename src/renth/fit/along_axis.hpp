// A curve along an axis, fitted an axis point at a time.
#pragma once
#include <renth/fit/fit.hpp>
#include <vector>

namespace renth {

/// Fits every column of the outputs, each from the runs that have it, and joins them. With one
/// column it is the fit itself.
///
/// \param fits  one for all columns, or one a column.
/// \throws Error  as the fit does, naming the axis point by its number.
Fit along_axis(std::vector<Fit> fits);

}  // namespace renth
