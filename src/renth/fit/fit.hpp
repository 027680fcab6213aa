// What every kind offers for making a surrogate from runs.
#pragma once
#include <functional>
#include <memory>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// Makes a surrogate from runs. \throws Error when the data cannot carry the model.
using Fit = std::function<std::unique_ptr<const Surrogate>(const Space&, const Data&, Seed)>;

/// A way of fitting that the runs do not ask for: no candidate then.
class Unneeded : public Error {
 public:
  using Error::Error;
};

}  // namespace renth
