#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/full_factorial.hpp>

namespace renth {
namespace {

std::vector<double> levels_of(const Parameter& p, int wanted) {
  std::vector<double> out;
  if (!p.is_between()) {
    for (int i = 0; i < p.settable_count(); ++i) out.push_back(p.settable(i));
    return out;
  }
  for (int i = 0; i < wanted; ++i) out.push_back(p.snap(p.low + (p.high - p.low) * i / (wanted - 1)));
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

bool is_corner(const Space& space, const Eigen::VectorXd& point,
               const std::vector<std::vector<double>>& levels) {
  for (Eigen::Index j = 0; j < space.size(); ++j)
    if (!space[j].is_choice() && point[j] != levels[j].front() && point[j] != levels[j].back()) return false;
  return true;
}

/// All that the limits allow, the first parameter changing fastest.
std::vector<Eigen::VectorXd> combinations(const Space& space, const std::vector<std::vector<double>>& levels,
                                          int& removed) {
  std::vector<Eigen::VectorXd> kept;
  std::vector<std::size_t> at(levels.size(), 0);
  for (bool more = true; more;) {
    Eigen::VectorXd point(space.size());
    for (Eigen::Index j = 0; j < space.size(); ++j) point[j] = levels[j][at[j]];
    if (space.allows(point))
      kept.push_back(std::move(point));
    else
      ++removed;
    std::size_t j = 0;
    while (j < at.size() && ++at[j] == levels[j].size()) at[j++] = 0;
    more = j < at.size();
  }
  return kept;
}

}  // namespace

Plan full_factorial(const Space& space, const FullFactorialOptions& options, Seed seed) {
  constexpr double most = 1e6;
  const int wanted = options.levels > 0 ? options.levels : 2;
  if (wanted < 2)
    throw Error("a factorial needs at least two levels", "plan full-factorial", "use `levels=2` or more");
  if (options.replicates < 1)
    throw Error("replicates must be 1 or more", "plan full-factorial", "use `replicates=1`");
  std::vector<std::vector<double>> levels;
  double total = options.replicates;
  for (const Parameter& p : space.parameters()) {
    levels.push_back(levels_of(p, wanted));
    total *= static_cast<double>(levels.back().size());
  }
  if (total > most)
    throw Error(fmt::format("the full factorial has {:.3g} runs", total), "plan full-factorial",
                "use fewer levels or parameters, or latin-hypercube with the runs that you can pay");

  int removed = 0;
  const std::vector<Eigen::VectorXd> kept = combinations(space, levels, removed);
  if (kept.empty())
    throw Error("the limits forbid every combination", "plan full-factorial",
                "use sobol, which follows the limits");

  const Eigen::Index n = Eigen::Index(kept.size()) * options.replicates;
  std::vector<int> order(n);
  for (Eigen::Index i = 0; i < n; ++i) order[i] = static_cast<int>(i);
  if (options.random_order) order = Stream(seed, "full factorial order").permutation(static_cast<int>(n));
  Eigen::MatrixXd points(n, space.size());
  std::vector<std::string> origins;
  for (Eigen::Index i = 0; i < n; ++i) {
    const Eigen::VectorXd& point = kept[order[i] % kept.size()];
    points.row(i) = point;
    origins.push_back(is_corner(space, point, levels) ? "corner" : "grid");
  }
  Plan plan = make_plan(std::move(points), "corner", "full-factorial", seed);
  plan.origins = std::move(origins);
  plan.options = {{"levels", std::to_string(wanted)},
                  {"replicates", std::to_string(options.replicates)},
                  {"order", options.random_order ? "random" : "standard"}};
  plan.next = n;
  if (removed > 0)
    plan.notes.push_back(
        fmt::format("the limits forbid {} of {} combinations: the rest is no longer orthogonal", removed,
                    removed + Eigen::Index(kept.size())));
  return plan;
}

}  // namespace renth
