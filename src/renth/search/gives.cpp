#include <algorithm>
#include <cmath>
#include <renth/search/scoring.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

/// A problem in which one thing that binds is tighter, and by how much.
struct Tightened {
  SeekProblem problem;
  double by = 0;  ///< 0: it cannot be
};

/// A span that ends one value, or a hundredth, earlier.
double shorten(Parameter& p, bool at_high) {
  const double before = at_high ? p.high : p.low;
  double& end = at_high ? p.high : p.low;
  if (!p.is_between()) return 0;  // beyond the ends of what is counted there is nothing
  if (!p.values.empty()) {
    if (p.values.size() < 3) return 0;
    at_high ? p.values.pop_back() : (void)p.values.erase(p.values.begin());
    end = at_high ? p.values.back() : p.values.front();
  } else {
    if (p.step > 0 && p.settable_count() < 3) return 0;
    end += (at_high ? -1 : 1) * (p.step > 0 ? p.step : 0.01 * (p.high - p.low));
  }
  p.nominal = std::clamp(p.nominal, p.low, p.high);
  if (!p.values.empty()) p.nominal = p.snap(p.nominal);
  return std::abs(end - before);
}

Tightened tightened(const SeekProblem& problem, const Binding& binding) {
  constexpr double part = 0.01;
  Tightened out{problem};
  if (binding.kind == Binding::Kind::constraint) {
    Constraint& c = out.problem.constraints[binding.index];
    out.by = part * c.scale;
    c.margin = [margin = c.margin, by = out.by](const double* point, const double* responses) {
      return margin(point, responses) - by;
    };
  } else if (binding.kind == Binding::Kind::limit) {
    std::vector<Limit> limits = problem.space.limits();
    Limit& limit = limits[binding.index];
    double low = INFINITY, high = -INFINITY;
    const Eigen::MatrixXd x = region_points(problem.space, 256);
    for (Eigen::Index i = 0; i < x.rows(); ++i) {
      const double m = margin_or_worst(limit, x.row(i).transpose());
      low = std::min(low, m);
      high = std::max(high, m);
    }
    if (!(high > low) || !std::isfinite(high - low)) return out;
    out.by = part * (high - low);
    limit.margin = [margin = limit.margin, by = out.by](const double* point) { return margin(point) - by; };
    out.problem.space = Space(problem.space.parameters(), std::move(limits), problem.space.correlations());
  } else {
    std::vector<Parameter> parameters = problem.space.parameters();
    out.by = shorten(parameters[binding.index], binding.kind == Binding::Kind::high_end);
    if (out.by > 0)
      out.problem.space = Space(std::move(parameters), problem.space.limits(), problem.space.correlations());
  }
  return out;
}

}  // namespace

std::vector<Give> gives_of(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
                           const Proposal& proposal, const std::vector<Binding>& bindings,
                           const MaximiseOptions& search) {
  std::vector<Give> out;
  if (!proposal.feasible) return out;
  // What makes no difference there stays where it was put.
  MaximiseOptions local = search;
  local.hold.resize(std::size_t(problem.space.size()));
  for (const Eigen::Index j : proposal.free) local.hold[std::size_t(j)] = proposal.point[j];
  for (const Binding& binding : bindings) {
    const Tightened tighter = tightened(problem, binding);
    if (!(tighter.by > 0)) continue;
    // From the nearest setting that keeps the limits; whether the constraints hold there, the climb sees to.
    Eigen::VectorXd start = tighter.problem.space.snap(proposal.point);
    if (!search.settable) start = proposal.point;
    for (Eigen::Index j = 0; j < start.size(); ++j) {
      const Parameter& p = tighter.problem.space[j];
      if (!p.is_choice()) start[j] = std::clamp(start[j], p.low, p.high);
    }
    const Aims aims = aims_of(tighter.problem, desirabilities);
    const Maximum end = climb_from(tighter.problem.space, aims, local, start);
    if (end.violation > 0) continue;
    const Eigen::VectorXd y = problem.responses(end.point.transpose()).row(0).transpose();
    for (std::size_t g = 0; g < problem.goals.size(); ++g) {
      const int k = problem.goals[g].response;
      const double change = proposal.responses[k] - y[k];
      constexpr double notable = 1e-5;  // of the response's range
      if (std::abs(change) > notable * desirabilities[g].range)
        out.push_back({binding.text, k, change / tighter.by});
    }
  }
  return out;
}

}  // namespace renth
