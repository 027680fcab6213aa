#include <algorithm>
#include <bit>
#include <cmath>
#include <renth/search/conflicts.hpp>
#include <renth/search/scoring.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
using Set = unsigned;

/// Margins of all over their scales (m × c); far below nought where one is undefined.
Eigen::MatrixXd known_margins(const SeekProblem& problem, Points x) {
  Eigen::MatrixXd out = scaled_margins(problem, x, problem.responses(x));
  for (double& m : out.reshaped())
    if (!std::isfinite(m)) m = -1e3;
  return out;
}

/// The problem with its limits as constraints, in a space that has none.
SeekProblem loosened(const SeekProblem& problem, Seed seed) {
  SeekProblem out = problem;
  out.space = Space(problem.space.parameters());
  const Eigen::MatrixXd x = sample_region(out.space, 256, Values::physical, seed, "limit scales");
  for (const Limit& limit : problem.space.limits()) {
    Constraint c{limit.text,
                 [margin = limit.margin](const double* point, const double*) { return margin(point); }, 1};
    double low = INFINITY, high = -INFINITY;
    for (Index i = 0; i < x.rows(); ++i) {
      const double m = margin_or_worst(limit, x.row(i).transpose());
      if (!std::isfinite(m)) continue;
      low = std::min(low, m);
      high = std::max(high, m);
    }
    if (high > low) c.scale = high - low;
    out.constraints.push_back(std::move(c));
  }
  return out;
}

/// The best that the margin of one can be, where those of the others in the set hold; or of the least of all.
Maximum best_of(const SeekProblem& problem, Set set, int one, const MaximiseOptions& options, Seed seed) {
  const Aims aims = [&, set, one](Points x) {
    const Eigen::MatrixXd m = known_margins(problem, x);
    std::vector<Index> others;
    for (Index k = 0; k < m.cols(); ++k)
      if ((set >> k & 1U) && int(k) != one) others.push_back(k);
    if (one < 0) {
      Eigen::MatrixXd least(m.rows(), 1);
      for (Index i = 0; i < m.rows(); ++i) least(i, 0) = m(i, others).minCoeff();
      return least;
    }
    Eigen::MatrixXd out(m.rows(), 1 + Index(others.size()));
    out.col(0) = m.col(one);
    out.rightCols(Index(others.size())) = m(Eigen::all, others);
    return out;
  };
  return maximise(problem.space, aims, options, seed).front();
}

/// Can these hold together? Each is sought as far as it goes with the others held, which finds thin regions
/// that the least of all margins, a kinked thing, does not.
bool can_hold(const SeekProblem& problem, Set set, const MaximiseOptions& options, Seed seed,
              Eigen::MatrixXd& known) {
  const int one = std::countr_zero(set);
  const Maximum end = best_of(problem, set, one, options, seed);
  const Eigen::MatrixXd m = known_margins(problem, end.point.transpose());
  known.conservativeResize(known.rows() + 1, Eigen::NoChange);
  known.row(known.rows() - 1) = m;
  for (Index k = 0; k < m.cols(); ++k)
    if ((set >> k & 1U) && !(m(0, k) >= -1e-9)) return false;
  return true;
}

}  // namespace

std::vector<Conflict> conflicts(const SeekProblem& problem, const MaximiseOptions& options, Seed seed,
                                int most) {
  const SeekProblem all = loosened(problem, seed);
  const int count = std::min(int(all.constraints.size()), 16);
  if (count == 0) return {};
  Eigen::MatrixXd x = sample_region(all.space, 2048, Values::settable, seed, "conflicts");
  for (Index j = 0; j < x.cols() && !options.hold.empty(); ++j)
    if (options.hold[std::size_t(j)]) x.col(j).setConstant(*options.hold[std::size_t(j)]);
  Eigen::MatrixXd known = known_margins(all, x);
  std::vector<Set> sets, found;
  for (Set s = 1; s < 1U << count; ++s)
    if (std::popcount(s) <= 4) sets.push_back(s);
  std::stable_sort(sets.begin(), sets.end(),
                   [](Set a, Set b) { return std::popcount(a) < std::popcount(b); });
  std::vector<Conflict> out;
  constexpr int most_searches = 100;  // each costs what a goal does
  int searches = 0;
  for (const Set set : sets) {
    if (int(out.size()) >= most || searches >= most_searches) break;
    if (std::any_of(found.begin(), found.end(), [set](Set f) { return (f & set) == f; })) continue;
    bool held = false;
    for (Index i = 0; i < known.rows() && !held; ++i) {
      held = true;
      for (int k = 0; k < count && held; ++k) held = !(set >> k & 1U) || known(i, k) >= 0;
    }
    if (held) continue;
    ++searches;
    if (can_hold(all, set, options, seed, known)) continue;
    found.push_back(set);
    Conflict conflict;
    for (int k = 0; k < count; ++k) {
      if (!(set >> k & 1U)) continue;
      const Maximum end = best_of(all, set, k, options, seed);
      const double margin = end.value * all.constraints[std::size_t(k)].scale;
      conflict.limits.push_back(
          {all.constraints[std::size_t(k)].text, end.violation > 0 ? INFINITY : std::max(0.0, -margin)});
    }
    out.push_back(std::move(conflict));
  }
  return out;
}

}  // namespace renth
