// How well the intervals that a surrogate states hold on runs that it has not seen.
#pragma once
#include <renth/quality/cross_validation.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {

/// The share of runs inside their prediction intervals at a level when they are left out; NaN without any.
double left_out_coverage(const Data& data, const CrossValidation& cv, double level);

/// The factor by which stated deviations must be multiplied so that 97.5 % of the runs, each left out, lie in
/// their 95 % intervals (a little more than stated, since the same runs served for choosing), 0.6 to 4,
/// drawn towards 1.15, which is what plans of 20 to 40 runs needed on average (bench-coverage), as if 40 more
/// runs had said so. 1 for fewer than 15 runs, which cannot tell.
double deviation_factor(const Data& data, const CrossValidation& cv);

}  // namespace renth
