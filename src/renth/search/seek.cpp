#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/search/scoring.hpp>
#include <renth/search/seek.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>

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

/// Where the searches ended, and an even sample of the region.
Eigen::MatrixXd kept_ends(const Space& space, const std::vector<Eigen::VectorXd>& ends, Seed seed) {
  constexpr Eigen::Index sample = 512;
  const Eigen::MatrixXd region = sample_region(space, sample, Values::settable, seed, "ends");
  Eigen::MatrixXd out(region.rows() + Eigen::Index(ends.size()), space.size());
  out.topRows(region.rows()) = region;
  for (std::size_t i = 0; i < ends.size(); ++i)
    out.row(region.rows() + Eigen::Index(i)) = ends[i].transpose();
  return out;
}

/// One search a proposal, each kept away from those before; idle parameters stay at nominal.
void add_proposals(const SeekProblem& problem, const Aims& aims, const SeekOptions& options,
                   std::vector<bool> held, const std::vector<Eigen::Index>& idle, Seed seed,
                   std::vector<Eigen::VectorXd>& all_ends, SeekResult& out) {
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
    for (const Maximum& m : ends) all_ends.push_back(m.point);
    Proposal p = proposal_at(problem, out.desirabilities, held, idle, search, ends.front().point);
    // Behind one that is feasible and wanted, one that is not has no place.
    if (k > 0 &&
        ((out.feasible && !p.feasible) || (out.proposals[0].desirability > 0 && p.desirability == 0)))
      break;
    out.feasible = out.feasible || p.feasible;
    space = space.with({away_from(problem.space, p, options.apart)});
    // Alternatives start from where all searches so far ended.
    if (search.from.rows() == 0) search.from = kept_ends(problem.space, all_ends, seed);
    out.proposals.push_back(std::move(p));
  }
}

/// Each of several goals alone, everything else kept.
/// \param ranges  of each goal's response over the region.
void add_singles(const SeekProblem& problem, const MaximiseOptions& search,
                 const std::vector<Extremes>& ranges, Seed seed, std::vector<Eigen::VectorXd>& ends,
                 SeekResult& out) {
  if (problem.goals.size() < 2) return;
  const bool free = problem.constraints.empty() && std::none_of(search.hold.begin(), search.hold.end(),
                                                                [](const auto& h) { return h.has_value(); });
  std::vector<std::vector<Maximum>> found(problem.goals.size());
  out.singly.resize(problem.goals.size());
  parallel_for(std::int64_t(problem.goals.size()), [&](std::int64_t g) {
    SeekProblem alone = problem;
    alone.goals = {problem.goals[std::size_t(g)]};
    const std::vector<Desirability> desirability = {out.desirabilities[std::size_t(g)]};
    Single& single = out.singly[std::size_t(g)];
    single.goal = int(g);
    const Goal::Aim aim = alone.goals[0].aim;
    if (free && aim != Goal::Aim::target) {  // that is an end of the range
      const Extremes& range = ranges[std::size_t(g)];
      single.point = aim == Goal::Aim::maximise ? range.largest.point : range.smallest.point;
    } else {
      found[std::size_t(g)] = maximise(problem.space, aims_of(alone, desirability), search, seed);
      single.point = found[std::size_t(g)].front().point;
    }
    single.responses = problem.responses(single.point.transpose()).row(0).transpose();
  });
  for (const auto& of_goal : found)
    for (const Maximum& m : of_goal) ends.push_back(m.point);
}

}  // namespace

SeekResult seek(const SeekProblem& problem, const SeekOptions& asked, Seed seed) {
  SeekResult out;
  SeekOptions options = asked;
  std::vector<Eigen::VectorXd> ends;
  if (asked.known) {
    out.desirabilities = asked.known->desirabilities;
    out.singly = asked.known->singly;
    options.search.from = asked.known->ends;
  } else {
    MaximiseOptions whole = options.search;
    whole.hold.clear();  // desirabilities belong to the region, not to what is held today
    out.desirabilities.resize(problem.goals.size());
    std::vector<Extremes> ranges(problem.goals.size());
    parallel_for(std::int64_t(problem.goals.size()), [&](std::int64_t g) {
      const Goal& goal = problem.goals[std::size_t(g)];
      Extremes& range = ranges[std::size_t(g)];
      range = extremes(problem.space, problem.responses, goal.response, whole, seed);
      Desirability& d = out.desirabilities[std::size_t(g)];
      d = desirability_between(goal, range.smallest.value, range.largest.value);
      d.range = range.largest.value - range.smallest.value;
    });
    for (const Extremes& range : ranges) {
      ends.push_back(range.smallest.point);
      ends.push_back(range.largest.point);
    }
    add_singles(problem, options.search, ranges, seed, ends, out);
  }
  const Aims aims = aims_of(problem, out.desirabilities);
  std::vector<bool> held(std::size_t(problem.space.size()), false);
  for (std::size_t j = 0; j < options.search.hold.size(); ++j) held[j] = options.search.hold[j].has_value();
  const std::vector<Eigen::Index> idle =
      asked.known ? asked.known->idle : idle_parameters(problem, out.desirabilities, held, seed);
  add_proposals(problem, aims, options, held, idle, seed, ends, out);
  if (!out.feasible && !idle.empty()) {
    // Perhaps something holds only where they are not at nominal.
    SeekResult elsewhere;
    elsewhere.desirabilities = out.desirabilities;
    elsewhere.singly = out.singly;
    add_proposals(problem, aims, options, held, {}, seed, ends, elsewhere);
    if (elsewhere.feasible) out = std::move(elsewhere);
  }
  out.idle = idle;
  out.ends = asked.known ? asked.known->ends : kept_ends(problem.space, ends, seed);
  return out;
}

}  // namespace renth
