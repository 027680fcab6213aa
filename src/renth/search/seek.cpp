#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/search/scoring.hpp>
#include <renth/search/seek.hpp>
#include <renth/space/features.hpp>

namespace renth {

Extremes extremes(const Space& space, const Responses& responses, int response,
                  const MaximiseOptions& options, Seed seed) {
  const auto side = [&](double sign) {
    Maximum best =
        maximise(
            space, [&, sign](Points x) { return Eigen::MatrixXd(sign * responses(x).col(response)); },
            options, seed)
            .front();
    best.value *= sign;
    return best;
  };
  return {side(-1), side(1)};
}

namespace {

void judge(const SeekProblem& problem, const std::vector<Desirability>& desirabilities, Proposal& p) {
  p.responses = problem.responses(p.point.transpose()).row(0).transpose();
  const Score s = score(problem, desirabilities, p.point, p.responses);
  p.feasible = s.violation == 0;
  p.desirability = p.feasible ? s.desirability : 0;
  p.of_goal.clear();
  for (std::size_t g = 0; g < problem.goals.size(); ++g)
    p.of_goal.push_back(desirabilities[g](p.responses[problem.goals[g].response]));
}

Proposal proposal_at(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
                     const std::vector<bool>& held, const std::vector<Eigen::Index>& idle,
                     const MaximiseOptions& search, const Eigen::VectorXd& point) {
  Proposal p;
  p.point = point;
  judge(problem, desirabilities, p);
  p.free = free_parameters(problem, desirabilities, held, p);
  if (!p.free.empty()) judge(problem, desirabilities, p);
  p.free.insert(p.free.end(), idle.begin(), idle.end());
  std::sort(p.free.begin(), p.free.end());
  const std::vector<Binding> bindings = binding_limits(problem, desirabilities, p);
  for (const Binding& b : bindings) p.limited_by.push_back(b.text);
  p.gives = gives_of(problem, desirabilities, p, bindings, search);
  return p;
}

/// A limit that keeps settings away from a proposal, by what makes a difference there.
Limit away_from(const Space& space, const Proposal& p, double apart) {
  std::vector<int> owner = feature_parameters(space);
  std::vector<char> counts;
  for (const int j : owner) counts.push_back(std::find(p.free.begin(), p.free.end(), j) == p.free.end());
  const Eigen::VectorXd taken = features(space, p.point.transpose()).transpose();
  return {"away from earlier proposals", [space, taken, counts, apart](const double* point) {
            const Eigen::VectorXd x = Eigen::Map<const Eigen::VectorXd>(point, space.size());
            Eigen::VectorXd gap = features(space, x.transpose()).transpose() - taken;
            for (Eigen::Index f = 0; f < gap.size(); ++f) gap[f] *= counts[std::size_t(f)];
            return gap.norm() - apart;
          }};
}

/// One search a proposal, each kept away from those before; idle parameters stay at nominal.
void add_proposals(const SeekProblem& problem, const Aims& aims, const SeekOptions& options,
                   std::vector<bool> held, const std::vector<Eigen::Index>& idle, Seed seed,
                   SeekResult& out) {
  MaximiseOptions search = options.search;
  search.hold.resize(std::size_t(problem.space.size()));
  for (const Eigen::Index j : idle) {
    search.hold[std::size_t(j)] = problem.space[j].nominal;
    held[std::size_t(j)] = true;
  }
  Space space = problem.space;
  for (int k = 0; k < options.proposals; ++k) {
    std::vector<Maximum> ends;
    try {
      ends = maximise(space, aims, search, seed);
    } catch (const Error&) {
      if (k == 0) throw;
      break;  // nothing is left so far away
    }
    Proposal p = proposal_at(problem, out.desirabilities, held, idle, search, ends.front().point);
    // Behind one that is feasible and wanted, one that is not has no place.
    if (k > 0 &&
        ((out.feasible && !p.feasible) || (out.proposals[0].desirability > 0 && p.desirability == 0)))
      break;
    out.feasible = out.feasible || p.feasible;
    space = space.with({away_from(problem.space, p, options.apart)});
    out.proposals.push_back(std::move(p));
  }
}

/// Each of several goals alone, everything else kept.
void add_singles(const SeekProblem& problem, const MaximiseOptions& search, Seed seed, SeekResult& out) {
  if (problem.goals.size() < 2) return;
  out.singly.resize(problem.goals.size());
  parallel_for(std::int64_t(problem.goals.size()), [&](std::int64_t g) {
    SeekProblem alone = problem;
    alone.goals = {problem.goals[std::size_t(g)]};
    const std::vector<Desirability> desirability = {out.desirabilities[std::size_t(g)]};
    Single& single = out.singly[std::size_t(g)];
    single.goal = int(g);
    single.point = maximise(problem.space, aims_of(alone, desirability), search, seed).front().point;
    single.responses = problem.responses(single.point.transpose()).row(0).transpose();
  });
}

}  // namespace

SeekResult seek(const SeekProblem& problem, const SeekOptions& options, Seed seed) {
  SeekResult out;
  MaximiseOptions whole = options.search;
  whole.hold.clear();  // desirabilities belong to the region, not to what is held today
  out.desirabilities.resize(problem.goals.size());
  parallel_for(std::int64_t(problem.goals.size()), [&](std::int64_t g) {
    const Goal& goal = problem.goals[std::size_t(g)];
    const Extremes range = extremes(problem.space, problem.responses, goal.response, whole, seed);
    Desirability& d = out.desirabilities[std::size_t(g)];
    d = desirability_between(goal, range.smallest.value, range.largest.value);
    d.range = range.largest.value - range.smallest.value;
  });
  const Aims aims = aims_of(problem, out.desirabilities);
  std::vector<bool> held(std::size_t(problem.space.size()), false);
  for (std::size_t j = 0; j < options.search.hold.size(); ++j) held[j] = options.search.hold[j].has_value();
  std::vector<Eigen::Index> idle = idle_parameters(problem, out.desirabilities, held, seed);
  add_proposals(problem, aims, options, held, idle, seed, out);
  add_singles(problem, options.search, seed, out);
  if (out.feasible || idle.empty()) return out;
  // Perhaps something holds only where they are not at nominal.
  SeekResult elsewhere;
  elsewhere.desirabilities = out.desirabilities;
  elsewhere.singly = out.singly;
  add_proposals(problem, aims, options, held, {}, seed, elsewhere);
  return elsewhere.feasible ? elsewhere : out;
}

}  // namespace renth
