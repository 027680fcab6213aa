#include <fmt/format.h>

#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/sensitivity/runs.hpp>

namespace renth::detail {

Eigen::VectorXd output_of_runs(const Space& space, const Data& data, Eigen::Index least_runs) {
  check_data(space, data);
  if (data.outputs.cols() != 1)
    throw Error("one output at a time can be ranked", "outputs", "pass one column");
  if (data.size() < least_runs)
    throw Error(fmt::format("{} run{} cannot rank parameters", data.size(), data.size() == 1 ? "" : "s"),
                "runs", fmt::format("it takes {} at least", least_runs));
  Eigen::VectorXd y = without_block_effects(space, data).outputs.col(0);
  if (!y.allFinite()) throw Error("an output is missing", "outputs", "leave those runs out");
  if (!((y.array() - y.mean()).abs().maxCoeff() > 1e-12 * y.cwiseAbs().maxCoeff()))
    throw Error("the response never varies, so that nothing can be ranked", "outputs",
                "look at the runs: is the right column read?");
  return y;
}

}  // namespace renth::detail
