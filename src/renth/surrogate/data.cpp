#include <algorithm>
#include <cmath>
#include <map>
#include <renth/error.hpp>
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

std::vector<int> replicate_groups(const Data& data) {
  std::map<std::vector<double>, int> seen;
  std::vector<int> group;
  for (Eigen::Index i = 0; i < data.size(); ++i) {
    std::vector<double> key(data.inputs.cols() + 1, data.blocks.size() > 0 ? data.blocks[i] : 0);
    for (Eigen::Index j = 0; j < data.inputs.cols(); ++j) key[j] = data.inputs(i, j);
    group.push_back(seen.emplace(std::move(key), static_cast<int>(seen.size())).first->second);
  }
  return group;
}

PureError pure_error(const Data& data, const Eigen::VectorXd& y, const Eigen::VectorXd& root) {
  const std::vector<int> group = replicate_groups(data);
  const int groups = group.empty() ? 0 : 1 + *std::max_element(group.begin(), group.end());
  std::vector<long double> sum(std::size_t(groups), 0), weight(std::size_t(groups), 0);
  for (std::size_t i = 0; i < group.size(); ++i) {
    const long double w = root[Eigen::Index(i)] * root[Eigen::Index(i)];
    sum[std::size_t(group[i])] += w * y[Eigen::Index(i)];
    weight[std::size_t(group[i])] += w;
  }
  long double ss = 0;
  for (std::size_t i = 0; i < group.size(); ++i) {
    const auto g = std::size_t(group[i]);
    const long double e = root[Eigen::Index(i)] * (y[Eigen::Index(i)] - sum[g] / weight[g]);
    ss += e * e;
  }
  return {double(ss), int(group.size()) - groups};
}

}  // namespace renth
