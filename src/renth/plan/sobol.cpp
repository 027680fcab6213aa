#include <renth/numeric/random.hpp>
#include <renth/plan/sequence.hpp>
#include <renth/plan/sobol.hpp>

namespace renth {

Plan sobol(const Space& space, const SobolOptions& options, Seed seed) {
  return from_sequence(space, options.runs, options.first, "sobol", seed,
                       [&](Eigen::Index n, std::uint64_t at) {
                         return scrambled_sobol_points(n, space.size(), seed, "sobol plan", at);
                       });
}

}  // namespace renth
