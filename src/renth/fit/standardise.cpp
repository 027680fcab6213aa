#include <cmath>
#include <renth/base/error.hpp>
#include <renth/fit/standardise.hpp>
#include <string>

namespace renth {

Standardised standardise(const Data& data, std::string_view kind) {
  const Eigen::VectorXd y = data.outputs.col(0);
  const std::string place = "fit " + std::string(kind);
  if (!y.allFinite()) throw Error("an output is not a finite number", place, "set the run aside");
  Standardised out{y.mean(), 1, {}};
  out.spread = std::sqrt((y.array() - out.centre).square().mean());
  if (!(out.spread > 1e-14 * std::abs(out.centre)))
    throw Error("the response is the same in every run", place,
                "there is nothing to fit: vary more, or look at the solver's output");
  out.z = (y.array() - out.centre) / out.spread;
  return out;
}

}  // namespace renth
