#include <cmath>
#include <renth/surrogate/data.hpp>

namespace renth {

Data Data::rows(const std::vector<Eigen::Index>& which) const {
  Data out;
  out.inputs = inputs(which, Eigen::all);
  out.outputs = outputs(which, Eigen::all);
  if (blocks.size() > 0) out.blocks = blocks(which);
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

}  // namespace renth
