#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/sequence.hpp>

namespace renth {

Plan from_sequence(const Space& space, int runs, std::uint64_t first, const std::string& method, Seed seed,
                   const std::function<Eigen::MatrixXd(Eigen::Index, std::uint64_t)>& points) {
  if (runs <= 0) runs = suggested_runs(space);
  constexpr std::uint64_t most_misses = 4'000'000;
  Eigen::MatrixXd made(runs, space.size());
  std::uint64_t next = first, misses = 0;
  Eigen::Index chunk = 256;
  for (Eigen::Index found = 0; found < runs; chunk = std::min<Eigen::Index>(2 * chunk, 1 << 16)) {
    const Eigen::MatrixXd unit = points(chunk, next);
    for (Eigen::Index i = 0; i < chunk && found < runs; ++i) {
      ++next;
      Eigen::VectorXd point(space.size());
      for (Eigen::Index j = 0; j < space.size(); ++j) point[j] = space.from_unit(j, unit(i, j), true);
      if (space.allows(point)) {
        made.row(found++) = point;
        misses = 0;
      } else if (++misses > most_misses) {
        throw Error("the limits leave nothing, or less than a millionth, of the box", "plan " + method,
                    "loosen a limit or narrow the spans to where it holds");
      }
    }
  }
  Plan plan = make_plan(std::move(made), "fill", method, seed);
  plan.options = {{"runs", std::to_string(runs)}, {"first", std::to_string(first)}};
  plan.next = next;
  return plan;
}

}  // namespace renth
