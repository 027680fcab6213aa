#include <algorithm>
#include <bit>
#include <cmath>
#include <renth/search/conflicts.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
using Set = unsigned;

/// All limits of a problem as constraints of a space that has none.
struct Loosened {
  Space space;
  Responses responses;
  std::vector<Constraint> all;

  /// Margins over their scales (m × c).
  Eigen::MatrixXd margins(Points x) const {
    const Eigen::MatrixXd y = responses(x);
    Eigen::MatrixXd out(x.rows(), Index(all.size()));
    Eigen::VectorXd point, values;
    for (Index i = 0; i < x.rows(); ++i) {
      point = x.row(i);
      values = y.row(i);
      for (std::size_t k = 0; k < all.size(); ++k) {
        const double m = all[k].margin(point.data(), values.data()) / all[k].scale;
        out(i, Index(k)) = std::isfinite(m) ? m : -1e3;
      }
    }
    return out;
  }
};

Loosened loosened(const SeekProblem& problem, Seed seed) {
  Loosened out{Space(problem.space.parameters()), problem.responses, problem.constraints};
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
    out.all.push_back(std::move(c));
  }
  return out;
}

/// The best that the margin of one can be, where those of the others in the set hold; or of the least of all.
Maximum best_of(const Loosened& problem, Set set, int one, const MaximiseOptions& options, Seed seed) {
  const Aims aims = [&, set, one](Points x) {
    const Eigen::MatrixXd m = problem.margins(x);
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
bool can_hold(const Loosened& problem, Set set, const MaximiseOptions& options, Seed seed,
              Eigen::MatrixXd& known) {
  const int one = std::countr_zero(set);
  const Maximum end = best_of(problem, set, one, options, seed);
  const Eigen::MatrixXd m = problem.margins(end.point.transpose());
  known.conservativeResize(known.rows() + 1, Eigen::NoChange);
  known.row(known.rows() - 1) = m;
  for (Index k = 0; k < m.cols(); ++k)
    if ((set >> k & 1U) && !(m(0, k) >= -1e-9)) return false;
  return true;
}

}  // namespace

std::vector<Conflict> conflicts(const SeekProblem& problem, const MaximiseOptions& options, Seed seed,
                                int most) {
  const Loosened all = loosened(problem, seed);
  const int count = std::min(int(all.all.size()), 16);
  if (count == 0) return {};
  Eigen::MatrixXd x = sample_region(all.space, 2048, Values::settable, seed, "conflicts");
  for (Index j = 0; j < x.cols() && !options.hold.empty(); ++j)
    if (options.hold[std::size_t(j)]) x.col(j).setConstant(*options.hold[std::size_t(j)]);
  Eigen::MatrixXd known = all.margins(x);
  std::vector<Set> sets, found;
  for (Set s = 1; s < 1U << count; ++s)
    if (std::popcount(s) <= 4) sets.push_back(s);
  std::stable_sort(sets.begin(), sets.end(),
                   [](Set a, Set b) { return std::popcount(a) < std::popcount(b); });
  std::vector<Conflict> out;
  for (const Set set : sets) {
    if (int(out.size()) >= most) break;
    if (std::any_of(found.begin(), found.end(), [set](Set f) { return (f & set) == f; })) continue;
    bool held = false;
    for (Index i = 0; i < known.rows() && !held; ++i) {
      held = true;
      for (int k = 0; k < count && held; ++k) held = !(set >> k & 1U) || known(i, k) >= 0;
    }
    if (held || can_hold(all, set, options, seed, known)) continue;
    found.push_back(set);
    Conflict conflict;
    for (int k = 0; k < count; ++k) {
      if (!(set >> k & 1U)) continue;
      const Maximum end = best_of(all, set, k, options, seed);
      const double margin = end.value * all.all[std::size_t(k)].scale;
      conflict.limits.push_back(
          {all.all[std::size_t(k)].text, end.violation > 0 ? INFINITY : std::max(0.0, -margin)});
    }
    out.push_back(std::move(conflict));
  }
  return out;
}

}  // namespace renth
