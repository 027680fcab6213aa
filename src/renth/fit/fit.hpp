// What every kind offers for making a surrogate from runs.
#pragma once
#include <functional>
#include <memory>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// Makes a surrogate from runs. \throws Error when the data cannot carry the model.
using Fit = std::function<std::unique_ptr<const Surrogate>(const Space&, const Data&, Seed)>;

}  // namespace renth
