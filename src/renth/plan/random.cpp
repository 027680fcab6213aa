#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/random.hpp>
#include <renth/space/region.hpp>
#include <renth/space/scatter.hpp>
#include <set>

namespace renth {
namespace {

/// Both ends of each span, or all choices.
std::vector<std::vector<double>> ends_of(const Space& space) {
  std::vector<std::vector<double>> ends;
  for (const Parameter& p : space.parameters()) {
    ends.emplace_back();
    if (p.is_choice())
      for (int i = 0; i < p.settable_count(); ++i) ends.back().push_back(i);
    else
      ends.back() = {p.snap(p.low), p.snap(p.high)};
  }
  return ends;
}

/// As many of them, drawn at random, in their order; all if no number is asked for.
std::vector<Eigen::VectorXd> some_of(std::vector<Eigen::VectorXd> kept, int runs, Stream& stream) {
  if (runs > int(kept.size()) && !kept.empty())
    throw Error(fmt::format("the limits leave {} corners, not {}", kept.size(), runs), "plan corners",
                fmt::format("use `runs={}` or less", kept.size()));
  if (runs > 0 && !kept.empty()) {
    std::vector<int> order = stream.permutation(int(kept.size()));
    order.resize(std::size_t(runs));
    std::sort(order.begin(), order.end());
    std::vector<Eigen::VectorXd> some;
    for (const int i : order) some.push_back(kept[std::size_t(i)]);
    return some;
  }
  return kept;
}

}  // namespace

Plan random_plan(const Space& space, int runs, Seed seed, std::uint64_t first) {
  if (runs <= 0) runs = suggested_runs(space);
  const Eigen::MatrixXd all =
      sample_region(space, Eigen::Index(first) + runs, Values::settable, seed, "random plan");
  Plan plan = make_plan(all.bottomRows(runs), "fill", "random", seed);
  plan.options = {{"runs", std::to_string(runs)}};
  plan.next = first + std::uint64_t(runs);
  return plan;
}

Plan corners(const Space& space, int runs, Seed seed, bool random_order) {
  constexpr double most = 1e6;
  const std::vector<std::vector<double>> ends = ends_of(space);
  double total = 1;
  for (const auto& e : ends) total *= double(e.size());
  if (runs <= 0 && total > most)
    throw Error(fmt::format("the box has {:.3g} corners", total), "plan corners",
                "draw some of them: `runs=64`");
  const auto corner = [&](auto&& pick) {
    Eigen::VectorXd point(space.size());
    for (Eigen::Index j = 0; j < space.size(); ++j)
      point[j] = ends[std::size_t(j)][pick(ends[std::size_t(j)].size())];
    return point;
  };
  std::vector<Eigen::VectorXd> kept;
  double forbidden = 0;
  Stream stream(seed, "corners");
  if (total <= most) {
    for (std::size_t i = 0; i < std::size_t(total); ++i) {
      std::size_t rest = i;
      const Eigen::VectorXd point = corner([&](std::size_t n) {
        const std::size_t digit = rest % n;
        rest /= n;
        return digit;
      });
      space.allows(point) ? kept.push_back(point) : void(++forbidden);
    }
    kept = some_of(std::move(kept), runs, stream);
  } else {
    std::set<std::vector<double>> seen;
    for (int tries = 0; int(kept.size()) < runs && tries < 1'000'000; ++tries) {
      const Eigen::VectorXd point = corner([&](std::size_t n) { return stream.below(n); });
      if (space.allows(point) && seen.emplace(point.begin(), point.end()).second) kept.push_back(point);
    }
  }
  if (kept.empty() || int(kept.size()) < runs)
    throw Error("the limits forbid every corner, or nearly", "plan corners",
                "use spread, which follows the limits");
  Eigen::MatrixXd points(Eigen::Index(kept.size()), space.size());
  const std::vector<int> order = Stream(seed, "corners order").permutation(int(kept.size()));
  for (std::size_t i = 0; i < kept.size(); ++i)
    points.row(Eigen::Index(i)) = kept[random_order ? std::size_t(order[i]) : i];
  Plan plan = make_plan(std::move(points), "corner", "corners", seed);
  plan.options = {{"runs", std::to_string(kept.size())}, {"order", random_order ? "random" : "standard"}};
  plan.next = kept.size();
  if (forbidden > 0)
    plan.notes.push_back(fmt::format("the limits forbid {:.0f} of {:.0f} corners", forbidden, total));
  return plan;
}

Plan scatter_plan(const Space& space, const Eigen::VectorXd& at, int runs, Seed seed) {
  if (runs <= 0) runs = 100;
  const ScatterDraw draw(space);
  if (draw.dimensions() == 0)
    throw Error("no parameter has scatter", "plan scatter",
                "say in study.toml how they drift: scatter = { normal = 0.05 }");
  Stream stream(seed, "scatter plan");
  Eigen::MatrixXd points(runs, space.size()), units(1, draw.dimensions());
  std::int64_t broken = 0;
  for (Eigen::Index i = 0; i < runs;) {
    for (Eigen::Index k = 0; k < units.cols(); ++k) units(0, k) = stream.uniform();
    const Eigen::VectorXd point = draw.around(at.transpose(), units).row(0);
    if (space.allows(point))
      points.row(i++) = point;
    else if (++broken > 1000 + 50LL * runs)
      throw Error("nearly every draw breaks a limit", "plan scatter `at` " + describe(space, at),
                  "choose a setting farther inside the limits");
  }
  Plan plan = make_plan(std::move(points), "scatter", "scatter", seed);
  plan.options = {{"runs", std::to_string(runs)}, {"at", describe(space, at)}};
  plan.next = std::uint64_t(runs);
  if (broken > 0)
    plan.notes.push_back(
        fmt::format("{} of {} draws broke a limit and were drawn again: near {:.1f} % of what is made "
                    "there cannot exist, and these runs do not show it",
                    broken, broken + runs, 100.0 * double(broken) / double(broken + runs)));
  return plan;
}

}  // namespace renth
