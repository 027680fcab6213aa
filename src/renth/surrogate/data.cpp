#include <fmt/format.h>

#include <cmath>
#include <renth/base/error.hpp>
#include <renth/surrogate/data.hpp>
#include <utility>

namespace renth {

Data Data::rows(const std::vector<Eigen::Index>& which) const {
  Data out;
  out.inputs = inputs(which, Eigen::all);
  out.outputs = outputs(which, Eigen::all);
  if (blocks.size() > 0) out.blocks = blocks(which);
  if (plots.size() > 0) out.plots = plots(which);
  if (weights.size() > 0) out.weights = weights(which);
  out.noisy = noisy;
  return out;
}

Data Data::with_output(Eigen::Index output) const {
  std::vector<Eigen::Index> present;
  for (Eigen::Index i = 0; i < size(); ++i)
    if (std::isfinite(outputs(i, output))) present.push_back(i);
  Data out = rows(present);
  out.outputs = Eigen::MatrixXd(out.outputs.col(output));
  return out;
}

Data make_data(const Space& space, Eigen::MatrixXd inputs, Eigen::MatrixXd outputs, bool noisy) {
  Data out;
  out.inputs = std::move(inputs);
  out.outputs = std::move(outputs);
  out.noisy = noisy;
  check_data(space, out);
  return out;
}

void check_data(const Space& space, const Data& data) {
  const auto count = [&](Eigen::Index found, const char* what, const char* remedy) {
    if (found != data.size())
      throw Error(fmt::format("{} {} for {} runs", found, what, data.size()), what, remedy);
  };
  check_points(space, data.inputs);
  count(data.outputs.rows(), "outputs", "give a row a run, NaN where a value is missing");
  if (data.outputs.cols() == 0)
    throw Error("there is no output", "outputs", "give a column, or one an axis point");
  if (data.blocks.size() > 0) count(data.blocks.size(), "blocks", "give a number a run, or none");
  if (data.plots.size() > 0) count(data.plots.size(), "whole plots", "give a number a run, or none");
  if (data.plots.size() > 0 && data.weights.size() > 0)
    throw Error("weights and whole plots do not go together", "weights", "leave out one of them");
  if (data.weights.size() > 0) count(data.weights.size(), "weights", "give one a run, or none");
  if (data.outputs.array().isInf().any())
    throw Error("an output is infinite", "outputs", "leave the run out, or give NaN for missing");
  if (data.weights.size() > 0 && !(data.weights.array().isFinite().all() && data.weights.minCoeff() > 0))
    throw Error("a weight is not above 0", "weights", "leave the run out instead");
}

}  // namespace renth
