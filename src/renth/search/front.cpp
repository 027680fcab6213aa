#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/search/front.hpp>
#include <renth/search/landscape.hpp>
#include <renth/search/scoring.hpp>
#include <renth/search/sorted_population.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// A problem whose goals are objectives, with what may move.
class Contest {
 public:
  Contest(const SeekProblem& problem, const FrontOptions& options)
      : problem_(problem),
        options_(options),
        margins_only_([this](Points x) { return margins(x); }),
        landscape_(problem.space, margins_only_, options.search) {}

  const Landscape& landscape() const { return landscape_; }
  const SeekProblem& problem() const { return problem_; }
  Index goals() const { return Index(problem_.goals.size()); }

  Eigen::VectorXd objectives(const Eigen::VectorXd& responses) const {
    Eigen::VectorXd out(goals());
    for (Index g = 0; g < goals(); ++g) {
      const Goal& goal = problem_.goals[std::size_t(g)];
      const double y = responses[goal.response];
      out[g] = goal.aim == Goal::Aim::maximise   ? -y
               : goal.aim == Goal::Aim::minimise ? y
                                                 : std::abs(y - goal.target);
      if (std::isnan(out[g])) out[g] = 1e300;
    }
    return out;
  }

  std::vector<Contender> at(const Eigen::MatrixXd& points) const {
    const std::vector<Standing> standings = landscape_.at(points);
    const Eigen::MatrixXd y = problem_.responses(points);
    std::vector<Contender> out;
    for (Index i = 0; i < points.rows(); ++i) {
      const Eigen::VectorXd responses = y.row(i);
      double violation = standings[std::size_t(i)].violation;
      const Eigen::VectorXd o = objectives(responses);
      if (o.maxCoeff() >= 1e300) violation = std::max(violation, 1e3);
      out.push_back({points.row(i).transpose(), responses, o, std::isfinite(violation) ? violation : 1e9});
    }
    return out;
  }

  /// One objective as small as can be where the others are no larger than `most`. \param width  of each.
  Contender driven(const Contender& from, Index one, const Eigen::VectorXd& most,
                   const Eigen::VectorXd& width) const {
    const Aims aims = [&](Points x) {
      const Eigen::MatrixXd y = problem_.responses(x);
      const auto constraints = Index(problem_.constraints.size());
      Eigen::MatrixXd out(x.rows(), goals() + constraints);
      for (Index i = 0; i < x.rows(); ++i) {
        const Eigen::VectorXd o = objectives(y.row(i).transpose());
        out(i, 0) = -o[one] / width[one];
        Index column = 1;
        for (Index g = 0; g < goals(); ++g)
          if (g != one) out(i, column++) = (most[g] - o[g]) / width[g];
      }
      out.rightCols(constraints) = scaled_margins(problem_, x, y);
      return out;
    };
    const Maximum end = climb_from(problem_.space, aims, options_.search, from.point);
    return at(end.point.transpose()).front();
  }

 private:
  Eigen::MatrixXd margins(Points x) const {
    Eigen::MatrixXd out = Eigen::MatrixXd::Zero(x.rows(), 1 + Index(problem_.constraints.size()));
    if (out.cols() > 1) out.rightCols(out.cols() - 1) = scaled_margins(problem_, x, problem_.responses(x));
    return out;
  }

  const SeekProblem& problem_;
  const FrontOptions& options_;
  Aims margins_only_;
  Landscape landscape_;
};

/// Simulated binary crossing and polynomial mutation (Deb and Agrawal, Complex Systems 9, 1995), over the
/// spans; a choice comes from one parent or, now and then, from anywhere.
Eigen::VectorXd child_of(const Landscape& landscape, const Eigen::VectorXd& a, const Eigen::VectorXd& b,
                         Stream& stream) {
  const Space& space = landscape.space();
  constexpr double crossing_index = 15, mutation_index = 20;
  const std::size_t free =
      std::max<std::size_t>(1, landscape.continuous().size() + landscape.discrete().size());
  Eigen::VectorXd out = a;
  for (Index j = 0; j < space.size(); ++j) {
    const double cross = stream.uniform(), u = stream.uniform(), mutate = stream.uniform(),
                 r = stream.uniform();
    if (landscape.is_held(j)) continue;
    const Parameter& p = space[j];
    if (p.is_choice()) {
      if (cross < 0.5) out[j] = b[j];
      if (mutate < 1 / double(free)) out[j] = double(stream.below(p.choices.size()));
      continue;
    }
    double v = a[j];
    if (cross < 0.5) {
      const double beta = u < 0.5 ? std::pow(2 * u, 1 / (crossing_index + 1))
                                  : std::pow(1 / (2 * (1 - u)), 1 / (crossing_index + 1));
      v = 0.5 * ((1 + beta) * a[j] + (1 - beta) * b[j]);
    }
    if (mutate < 1 / double(free)) {
      const double delta = r < 0.5 ? std::pow(2 * r, 1 / (mutation_index + 1)) - 1
                                   : 1 - std::pow(2 * (1 - r), 1 / (mutation_index + 1));
      v += delta * (p.high - p.low);
    }
    v = std::clamp(v, p.low, p.high);
    out[j] = p.is_discrete() && !(p.is_between() && !landscape.options().settable) ? p.snap(v) : v;
  }
  return out;
}

/// The best of each goal and of some of them together, which evolution then spreads out.
std::vector<Contender> ends(const Contest& contest, const FrontOptions& options, Seed seed) {
  const SeekProblem& problem = contest.problem();
  const Index goals = contest.goals();
  const auto scalar = [&](const Eigen::VectorXd& weight, const ObjectiveRange* range) -> Aims {
    return [&, weight, range](Points x) {
      const Eigen::MatrixXd y = problem.responses(x);
      Eigen::MatrixXd out(x.rows(), 1 + Index(problem.constraints.size()));
      for (Index i = 0; i < x.rows(); ++i) {
        Eigen::VectorXd o = contest.objectives(y.row(i).transpose());
        if (range) o = range->scaled(o);
        // The worst of them, and a little of all, so that nothing is given away.
        out(i, 0) = range ? -o.cwiseProduct(weight).maxCoeff() - 0.01 * o.dot(weight) : -o.dot(weight);
      }
      out.rightCols(out.cols() - 1) = scaled_margins(problem, x, y);
      return out;
    };
  };
  std::vector<Eigen::VectorXd> weights;
  for (Index g = 0; g < goals; ++g) weights.push_back(Eigen::VectorXd::Unit(goals, g));
  std::vector<Contender> out(weights.size());
  const auto seek_all = [&](std::size_t from, const ObjectiveRange* range) {
    parallel_for(std::int64_t(weights.size() - from), [&](std::int64_t k) {
      const std::size_t i = from + std::size_t(k);
      const Maximum best =
          maximise(problem.space, scalar(weights[i], range), options.search, seed + i).front();
      out[i] = contest.at(best.point.transpose()).front();
    });
  };
  seek_all(0, nullptr);
  const ObjectiveRange range(out);
  constexpr int between = 5;
  for (Index a = 0; a < goals; ++a)
    for (Index b = 0; b < a; ++b)
      for (int k = 1; k <= between; ++k) {
        Eigen::VectorXd w = Eigen::VectorXd::Constant(goals, 0.1);
        w[a] = double(k) / (between + 1);
        w[b] = 1 - w[a];
        weights.push_back(w);
      }
  out.resize(weights.size());
  seek_all(std::size_t(goals), &range);
  return out;
}

std::vector<Contender> evolved(const Contest& contest, std::vector<Contender> all, std::size_t size,
                               Seed seed, std::vector<Contender>& archive) {
  const Landscape& landscape = contest.landscape();
  Stream stream(seed, "front");
  all = survivors(std::move(all), size);
  constexpr int rounds = 250;
  for (int round = 0; round < rounds; ++round) {
    Eigen::MatrixXd children(Index(size), landscape.space().size());
    // Survivors come best first: the lower place wins a tournament.
    const auto parent = [&] { return std::min(stream.below(all.size()), stream.below(all.size())); };
    for (Index i = 0; i < children.rows(); ++i) {
      const std::uint64_t a = parent(), b = parent();
      children.row(i) = child_of(landscape, all[a].point, all[b].point, stream);
    }
    std::vector<Contender> more = contest.at(children);
    all.insert(all.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
    all = survivors(std::move(all), size);
    if (contest.goals() > 2 && round % 10 == 9) {
      archive.insert(archive.end(), all.begin(), all.end());
      archive = evenly(non_dominated(archive), 3 * size);
    }
  }
  return all;
}

/// Each as far as it goes in every goal in turn with the others no worse.
void polish(const Contest& contest, std::vector<Contender>& all) {
  const Eigen::VectorXd width = ObjectiveRange(all).width();
  parallel_for(std::int64_t(all.size()), [&](std::int64_t i) {
    Contender& c = all[std::size_t(i)];
    for (Index g = 0; g < contest.goals(); ++g) {
      const Contender better = contest.driven(c, (Index(i) + g) % contest.goals(), c.objectives, width);
      if (dominates(better, c)) c = better;
    }
  });
  all = non_dominated(all);
}

/// Of two goals: settings halfway between neighbours that lie far apart.
void fill_gaps(const Contest& contest, std::size_t wanted, std::vector<Contender>& all) {
  for (int round = 0; round < 6; ++round) {
    std::stable_sort(all.begin(), all.end(), [](const Contender& a, const Contender& b) {
      return a.objectives[0] < b.objectives[0];
    });
    const ObjectiveRange range(all);
    const Eigen::VectorXd width = range.width();
    std::vector<std::size_t> gaps;
    for (std::size_t i = 0; i + 1 < all.size(); ++i)
      if ((range.scaled(all[i].objectives) - range.scaled(all[i + 1].objectives)).norm() >
          1.2 / double(wanted))
        gaps.push_back(i);
    if (gaps.empty()) return;
    std::vector<Contender> found(2 * gaps.size());
    parallel_for(std::int64_t(found.size()), [&](std::int64_t k) {
      const Contender &a = all[gaps[std::size_t(k / 2)]], &b = all[gaps[std::size_t(k / 2)] + 1];
      const Eigen::VectorXd apart = (a.objectives - b.objectives).cwiseAbs().cwiseQuotient(width);
      const Index held = apart[0] > apart[1] ? 0 : 1;
      Eigen::VectorXd most = 0.5 * (a.objectives + b.objectives);
      // From either side: where the front falls apart each knows only its own piece.
      found[std::size_t(k)] = contest.driven(k % 2 == 0 ? a : b, 1 - held, most, width);
    });
    const std::size_t before = all.size();
    all.insert(all.end(), found.begin(), found.end());
    all = non_dominated(all);
    if (all.size() <= before) return;
  }
}

/// Volume by slices along the last objective; `points` not dominated, `order` by it.
double volume(std::vector<Eigen::VectorXd> points, Index goals, const Eigen::VectorXd& reference) {
  std::erase_if(points, [&](const Eigen::VectorXd& p) {
    return (p.head(goals).array() >= reference.head(goals).array()).any();
  });
  if (points.empty()) return 0;
  if (goals == 1) {
    double low = reference[0];
    for (const Eigen::VectorXd& p : points) low = std::min(low, p[0]);
    return reference[0] - low;
  }
  const Index last = goals - 1;
  std::sort(points.begin(), points.end(),
            [last](const Eigen::VectorXd& a, const Eigen::VectorXd& b) { return a[last] < b[last]; });
  double out = 0;
  std::vector<Eigen::VectorXd> slice;
  for (std::size_t i = 0; i < points.size(); ++i) {
    slice.push_back(points[i]);
    const double end = i + 1 < points.size() ? points[i + 1][last] : reference[last];
    if (end > points[i][last]) out += (end - points[i][last]) * volume(slice, last, reference);
  }
  return out;
}

void mark_knee(std::vector<FrontPoint>& points) {
  if (points.size() < 3) return;
  const Index goals = points.front().objectives.size();
  Eigen::VectorXd low = points.front().objectives, high = low;
  for (const FrontPoint& p : points) {
    low = low.cwiseMin(p.objectives);
    high = high.cwiseMax(p.objectives);
  }
  // In objectives from 0 to 1 the ends lie on the plane Σ = 1, or beyond; the knee is nearest to the origin
  // along it.
  std::size_t best = 0;
  double least = std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < points.size(); ++i) {
    double sum = 0;
    for (Index g = 0; g < goals; ++g)
      sum += high[g] > low[g] ? (points[i].objectives[g] - low[g]) / (high[g] - low[g]) : 0;
    if (sum < least) least = sum, best = i;
  }
  if (least < 1 - 1e-6) points[best].knee = true;
}

}  // namespace

double hypervolume(const Eigen::MatrixXd& objectives, const Eigen::VectorXd& reference) {
  std::vector<Eigen::VectorXd> points;
  for (Index i = 0; i < objectives.rows(); ++i) points.push_back(objectives.row(i).transpose());
  return volume(std::move(points), objectives.cols(), reference);
}

std::vector<FrontPoint> front(const SeekProblem& problem, const FrontOptions& options, Seed seed) {
  if (problem.goals.size() < 2 || problem.goals.size() > 5)
    throw Error(fmt::format("a front needs two to five goals, not {}", problem.goals.size()), "front",
                "name them: --maximise R --minimise S");
  const Contest contest(problem, options);
  const std::size_t size = std::clamp<std::size_t>(std::size_t(options.points), 100, 400);
  std::vector<Contender> start = ends(contest, options, seed);
  const Eigen::MatrixXd spread = first_points(contest.landscape(), int(size), seed);
  std::vector<Contender> more = contest.at(spread);
  start.insert(start.end(), more.begin(), more.end());
  std::vector<Contender> archive = start;
  std::vector<Contender> all = evolved(contest, std::move(start), size, seed, archive);
  all.insert(all.end(), archive.begin(), archive.end());
  std::erase_if(all, [](const Contender& c) { return c.violation > 0; });
  if (all.empty())
    throw Error("nothing holds every limit", "front",
                "seek without --front: it says what cannot hold together");
  all = non_dominated(all);
  if (problem.goals.size() > 2) all = evenly(std::move(all), std::size_t(options.points) * 3 / 2);
  polish(contest, all);
  if (problem.goals.size() == 2) fill_gaps(contest, std::size_t(options.points), all);
  all = evenly(std::move(all), std::size_t(options.points));
  std::stable_sort(all.begin(), all.end(),
                   [](const Contender& a, const Contender& b) { return a.objectives[0] < b.objectives[0]; });
  std::vector<FrontPoint> out;
  for (Contender& c : all)
    out.push_back({std::move(c.point), std::move(c.responses), std::move(c.objectives)});
  mark_knee(out);
  return out;
}

}  // namespace renth
