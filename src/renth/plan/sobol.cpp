#include <renth/error.hpp>
#include <renth/plan/sobol.hpp>

namespace renth {

Plan sobol(const Space& space, const SobolOptions& options, Seed seed) {
  const int runs = options.runs > 0 ? options.runs : suggested_runs(space);
  constexpr std::uint64_t chunk = 256, most_misses = 4'000'000;
  Eigen::MatrixXd points(runs, space.size());
  std::uint64_t next = options.first, misses = 0;
  for (Eigen::Index found = 0; found < runs;) {
    const Eigen::MatrixXd unit = scrambled_sobol_points(chunk, space.size(), seed, "sobol plan", next);
    for (std::uint64_t i = 0; i < chunk && found < runs; ++i) {
      ++next;
      Eigen::VectorXd point(space.size());
      for (Eigen::Index j = 0; j < space.size(); ++j)
        point[j] = space.from_unit(j, unit(Eigen::Index(i), j), true);
      if (space.allows(point)) {
        points.row(found++) = point;
        misses = 0;
      } else if (++misses > most_misses) {
        throw Error("the limits leave nothing, or less than a millionth, of the box", "plan sobol",
                    "loosen a limit or narrow the spans to where it holds");
      }
    }
  }
  Plan plan = make_plan(std::move(points), "fill", "sobol", seed);
  plan.options = {{"runs", std::to_string(runs)}, {"first", std::to_string(options.first)}};
  plan.next = next;
  return plan;
}

}  // namespace renth
