#include <renth/fit/blocks.hpp>
#include <renth/fit/on_active_parameters.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/reduced.hpp>

namespace renth {

Fit on_active_parameters(std::function<std::vector<Eigen::Index>(const Space&, const Data&, Seed)> active,
                         Fit fit) {
  return without_blocks(
      [active, fit](const Space& space, const Data& data, Seed seed) -> std::unique_ptr<const Surrogate> {
        const std::vector<Eigen::Index> kept = active(space, data, seed);
        std::vector<Parameter> parameters;
        for (const Eigen::Index j : kept) parameters.push_back(space[j]);
        Data part = data;
        part.inputs = Eigen::MatrixXd(data.inputs(Eigen::all, kept));
        // What differs now at one setting is the work of parameters that do nothing: scatter, if anything.
        return std::make_unique<Reduced>(space.size(), kept, fit(Space(std::move(parameters)), part, seed));
      });
}

}  // namespace renth
