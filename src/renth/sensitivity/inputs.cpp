#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/sensitivity/variance_shares.hpp>
#include <renth/space/scatter.hpp>

namespace renth {
FromUnit over_the_box(const Space& space) {
  return [&space](Eigen::Index j, double u) { return space.from_unit(j, u, false); };
}

FromUnit under_scatter(const Space& space, const Eigen::VectorXd& at) {
  if (std::none_of(space.parameters().begin(), space.parameters().end(),
                   [](const Parameter& p) { return p.scatter.any(); }))
    throw Error("no parameter has scatter", "under scatter",
                "say in study.toml how they drift: scatter = { normal = 0.05 }");
  return [&space, at](Eigen::Index j, double u) { return scatter_quantile(space[j], at[j], u); };
}

}  // namespace renth
