#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/search/seek.hpp>
#include <renth/space/features.hpp>

namespace renth {

Extremes extremes(const Space& space, const Responses& responses, int response,
                  const MaximiseOptions& options, Seed seed) {
  const auto side = [&](double sign) {
    Maximum best =
        maximise(
            space, [&, sign](Points x) { return Eigen::VectorXd(sign * responses(x).col(response)); },
            options, seed)
            .front();
    best.value *= sign;
    return best;
  };
  return {side(-1), side(1)};
}

namespace {

/// Figures of merit of one point; `order` puts feasible before infeasible, wanted before unwanted.
struct Score {
  double violation = 0, desirability = 1, outside = 0;
  double order() const {
    if (violation > 0) return -2 - violation;
    return desirability > 0 ? desirability : -outside / (1 + outside);
  }
};

Score score(const SeekProblem& problem, const std::vector<Ramp>& ramps, const Eigen::VectorXd& point,
            const Eigen::VectorXd& y) {
  Score s;
  for (const Constraint& c : problem.constraints) {
    const double margin = c.margin(point.data(), y.data());
    if (!(margin >= 0)) s.violation += std::isfinite(margin) ? -margin / c.scale : 1e3;
  }
  OverallDesirability overall;
  for (std::size_t g = 0; g < problem.goals.size(); ++g) {
    const double value = y[problem.goals[g].response], weight = problem.goals[g].weight;
    if (std::isnan(value)) s.violation += 1e3;  // undefined here: not a place to propose
    overall.add(ramps[g](value), weight);
    s.outside += weight * ramps[g].outside(value);
  }
  s.desirability = overall.value();
  return s;
}

std::vector<std::string> limits_of(const SeekProblem& problem, const Proposal& p) {
  std::vector<std::string> out;
  for (const Constraint& c : problem.constraints) {
    const double margin = c.margin(p.point.data(), p.responses.data());
    if (margin < 0.01 * c.scale) out.push_back(margin < 0 ? "violated: " + c.text : c.text);
  }
  for (const Limit& limit : problem.space.limits()) {
    const double at_nominal = std::abs(limit.margin(problem.space.nominal().data()));
    if (limit.margin(p.point.data()) <= 0.01 * std::max(at_nominal, 1e-9)) out.push_back(limit.text);
  }
  for (Eigen::Index j = 0; j < problem.space.size(); ++j) {
    const Parameter& q = problem.space[j];
    if (q.is_choice()) continue;
    const double spare = 1e-6 * (q.high - q.low);
    if (p.point[j] <= q.low + spare) out.push_back(fmt::format("{} at the low end of its span", q.name));
    if (p.point[j] >= q.high - spare) out.push_back(fmt::format("{} at the high end of its span", q.name));
  }
  return out;
}

Proposal proposal_at(const SeekProblem& problem, const std::vector<Ramp>& ramps,
                     const Eigen::VectorXd& point) {
  Proposal p;
  p.point = point;
  p.responses = problem.responses(p.point.transpose()).row(0).transpose();
  const Score s = score(problem, ramps, p.point, p.responses);
  p.feasible = s.violation == 0;
  p.desirability = p.feasible ? s.desirability : 0;
  for (std::size_t g = 0; g < problem.goals.size(); ++g)
    p.of_goal.push_back(ramps[g](p.responses[problem.goals[g].response]));
  p.limited_by = limits_of(problem, p);
  return p;
}

}  // namespace

SeekResult seek(const SeekProblem& problem, const SeekOptions& options, Seed seed) {
  SeekResult out;
  MaximiseOptions whole = options.search;
  whole.hold.clear();  // ramps belong to the region, not to what is held today
  for (const Goal& goal : problem.goals) {
    const Extremes range = extremes(problem.space, problem.responses, goal.response, whole, seed);
    out.ramps.push_back(ramp_between(goal, range.smallest.value, range.largest.value));
  }

  const Merit merit = [&](Points x) {
    const Eigen::MatrixXd y = problem.responses(x);
    Eigen::VectorXd value(x.rows());
    for (Eigen::Index i = 0; i < x.rows(); ++i)
      value[i] = score(problem, out.ramps, x.row(i).transpose(), y.row(i).transpose()).order();
    return value;
  };
  // One search a proposal, each kept away from those before.
  Space space = problem.space;
  for (int k = 0; k < options.proposals; ++k) {
    std::vector<Maximum> ends;
    try {
      ends = maximise(space, merit, options.search, seed);
    } catch (const Error&) {
      if (k == 0) throw;
      break;  // nothing is left so far away
    }
    Proposal p = proposal_at(problem, out.ramps, ends.front().point);
    // Behind one that is feasible and wanted, one that is not has no place.
    if (k > 0 &&
        ((out.feasible && !p.feasible) || (out.proposals[0].desirability > 0 && p.desirability == 0)))
      break;
    out.feasible = out.feasible || p.feasible;
    const Eigen::VectorXd taken = features(problem.space, p.point.transpose()).transpose();
    space = space.with({{"away from earlier proposals",
                         [whole_space = problem.space, taken, apart = options.apart](const double* point) {
                           const Eigen::VectorXd x =
                               Eigen::Map<const Eigen::VectorXd>(point, whole_space.size());
                           return (features(whole_space, x.transpose()).transpose() - taken).norm() - apart;
                         }}});
    out.proposals.push_back(std::move(p));
  }
  return out;
}

}  // namespace renth
