#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/exchange.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/plan/settled.hpp>
#include <renth/space/region.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/terms/moments.hpp>
#include <set>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Settable points of the region for problems with limits: some anywhere, more pushed to the edge
/// coordinate by coordinate, where optimal runs lie.
Eigen::MatrixXd edge_points(const Space& space, Seed seed) {
  constexpr Index inner = 60, count = 300;
  Eigen::MatrixXd points = sample_region(space, count, Values::settable, seed, "optimal pool");
  Stream stream(seed, "optimal pool directions");
  for (Index i = inner; i < count; ++i) {
    Eigen::VectorXd point = points.row(i);
    for (const int j : stream.permutation(int(space.size()))) {
      const Parameter& p = space[j];
      if (p.is_choice()) continue;
      const double end = p.snap(stream.uniform() < 0.5 ? p.low : p.high);
      double inside = 0, beyond = 1;  // shares of the way to the end
      const double from = point[j];
      const auto at = [&](double share) {
        Eigen::VectorXd moved = point;
        moved[j] = share == 1 ? end : p.snap(from + share * (end - from));
        return moved;
      };
      if (space.allows(at(1))) inside = 1;
      for (int k = 0; k < 40 && inside < 1; ++k) {
        const double middle = 0.5 * (inside + beyond);
        (space.allows(at(middle)) ? inside : beyond) = middle;
      }
      point = at(inside);
    }
    points.row(i) = point;
  }
  return points;
}

void check_estimable(const Space& space, const OptimalOptions& o, const Eigen::MatrixXd& pool, Seed seed) {
  Eigen::MatrixXd probe = o.candidates.rows() > 0 ? o.candidates
                          : pool.rows() > 0       ? pool
                                                  : sample_region(space, 40 + 4 * Index(o.terms.size()),
                                                                  Values::settable, seed, "probe");
  if (probe.rows() > 4000) probe = Eigen::MatrixXd(probe.topRows(4000));
  const Index m = probe.rows();
  probe.conservativeResize(m + o.existing.rows(), Eigen::NoChange);
  if (o.existing.rows() > 0) probe.bottomRows(o.existing.rows()) = o.existing;
  const Confounding found = find_confounding(model_matrix(space, o.terms, probe));
  if (!found.dropped.empty())
    throw Error("no runs that can be made tell these terms apart: " + describe(space, o.terms, found),
                "plan optimal `model`",
                "remove the terms named from `model`, or give the parameter more values");
}

/// How often a start is perturbed: enough to find good optima, bounded so that cost stays in seconds.
int rounds_for(const Space& space, const OptimalOptions& o) {
  const auto p = double(o.terms.size());
  double row = p * p;
  for (Index j = 0; j < space.size(); ++j) {
    double with = 0;
    for (const Term& t : o.terms)
      with +=
          std::any_of(t.factors.begin(), t.factors.end(), [&](const Factor& f) { return f.parameter == j; });
    const int count = space[j].settable_count();
    row += with * with * (count > 0 && count <= 12 ? count : 12);  // values in between are refined besides
  }
  if (o.candidates.rows() > 0) row = p * p * double(o.candidates.rows());
  return int(std::clamp(6e6 / (row * o.runs), o.candidates.rows() > 5000 ? 0.0 : 8.0, 340.0));
}

struct Best {
  ExchangeResult result;
  std::size_t start = 0;
};

/// Short searches from many starts; the two best go on for as long as all starts together have had.
ExchangeResult search(const ExchangeProblem& problem, int restarts, int rounds, Seed seed,
                      const Eigen::MatrixXd& from = {}) {
  std::vector<ExchangeResult> results(static_cast<std::size_t>(restarts));
  const auto index = [&](int phase, std::int64_t k) {
    return (std::uint64_t(problem.runs) * 4 + std::uint64_t(phase)) * 1'000'003 + std::uint64_t(k);
  };
  parallel_for(restarts, [&](std::int64_t k) {
    Stream stream(seed, "optimal", index(0, k));
    results[std::size_t(k)] = exchange(problem, (rounds + 2) / 3, stream, from);
  });
  std::vector<ExchangeResult> found;
  for (ExchangeResult& r : results)
    if (r.found) found.push_back(std::move(r));
  if (found.empty()) return {};
  std::stable_sort(found.begin(), found.end(),
                   [](const ExchangeResult& a, const ExchangeResult& b) { return a.value > b.value; });
  const int more = restarts * (rounds - (rounds + 2) / 3) / 2;
  if (more == 0) return found[0];
  const auto go_on = std::min<std::size_t>(2, found.size());
  std::vector<ExchangeResult> longer(go_on);
  parallel_for(std::int64_t(go_on), [&](std::int64_t k) {
    Stream stream(seed, "optimal", index(1, k));
    longer[std::size_t(k)] = exchange(problem, more, stream, found[std::size_t(k)].points);
  });
  for (ExchangeResult& r : longer)
    if (r.found && r.value > found[0].value) found[0] = std::move(r);
  return found[0];
}

Eigen::MatrixXd inverse_information(const ExchangeProblem& problem, const Eigen::MatrixXd& points) {
  const Eigen::MatrixXd x = model_matrix(problem.space, problem.terms, points);
  Eigen::MatrixXd m = x.transpose() * x;
  if (problem.fixed.size() > 0) m += problem.fixed;
  return PositiveFactor(m).inverse();
}

/// The largest variance through weights: trace(M⁻¹B) with B from the points of the region where the
/// variance is large, reweighted until that stops helping (as in C. L. Lawson's minimax algorithm, 1961).
ExchangeResult search_minimax(ExchangeProblem problem, int restarts, int rounds, Seed seed) {
  constexpr Index inner = 400;
  Eigen::MatrixXd region = region_points(problem.space, inner);
  if (problem.space.limits().empty()) {
    Stream stream(seed, "corners of the region");
    const Index corners = 400;
    region.conservativeResize(inner + corners, Eigen::NoChange);
    for (Index i = inner; i < inner + corners; ++i)
      for (Index j = 0; j < problem.space.size(); ++j) {
        const Parameter& p = problem.space[j];
        const double u = stream.uniform();
        region(i, j) = p.is_choice() ? problem.space.from_unit(j, u, true)
                       : u < 0.4     ? p.low
                       : u < 0.8     ? p.high
                                     : p.snap(problem.space.natural(j, 0));
      }
  } else {
    const Eigen::MatrixXd edge = edge_points(problem.space, seed);
    region.conservativeResize(region.rows() + edge.rows(), Eigen::NoChange);
    region.bottomRows(edge.rows()) = edge;
  }
  const Eigen::MatrixXd f = model_matrix(problem.space, problem.terms, region);
  Eigen::VectorXd weight = Eigen::VectorXd::Constant(f.rows(), 1.0 / double(f.rows()));
  ExchangeResult best;
  double least = INFINITY;
  Eigen::MatrixXd from;
  for (int step = 0; step < 24; ++step) {
    problem.weight = f.transpose() * weight.asDiagonal() * f;
    ExchangeResult now =
        search(problem, step == 0 ? restarts : 1, step == 0 ? rounds : std::max(4, rounds / 8), seed, from);
    if (!now.found) return best;
    const Eigen::VectorXd variance =
        (f * inverse_information(problem, now.points)).cwiseProduct(f).rowwise().sum();
    if (variance.maxCoeff() < least) {
      least = variance.maxCoeff();
      best = now;
      best.value = -least;
    }
    from = best.points;
    weight = weight.cwiseProduct(variance.cwiseProduct(variance));
    weight /= weight.sum();
  }
  return best;
}

}  // namespace

int suggested_optimal_runs(const OptimalOptions& options) {
  const int p = int(options.terms.size());
  return std::max({(3 * p + 1) / 2 - int(options.existing.rows()), p - int(options.existing.rows()), 1});
}

OptimalOptions::Criterion parse_criterion(std::string_view text) {
  using C = OptimalOptions::Criterion;
  for (const C c : {C::D, C::I, C::A, C::G})
    if (text == name(c)) return c;
  refuse_unknown("criterion", text, "plan optimal `criterion`", {"D", "I", "A", "G"});
}
std::string_view name(OptimalOptions::Criterion criterion) {
  constexpr std::string_view names[] = {"D", "I", "A", "G"};
  return names[int(criterion)];
}

Plan optimal(const Space& space, const OptimalOptions& given, Seed seed) {
  using C = OptimalOptions::Criterion;
  OptimalOptions o = given;
  const auto p = int(o.terms.size());
  if (o.runs <= 0) o.runs = suggested_optimal_runs(o);
  if (o.restarts < 1) throw Error("restarts must be 1 or more", "plan optimal `restarts`", "use 10");
  if (o.runs + o.existing.rows() < p)
    throw Error(fmt::format("{} runs cannot estimate {} terms", o.runs + o.existing.rows(), p),
                "plan optimal `runs`",
                fmt::format("use `runs={}` or more, or a smaller `model`", p - o.existing.rows()));
  ExchangeProblem problem{space, o.terms, o.runs, {}, {}, o.candidates, {}};
  if (!space.limits().empty() && o.candidates.rows() == 0) problem.pool = edge_points(space, seed);
  check_estimable(space, o, problem.pool, seed);
  if (o.existing.rows() > 0) {
    const Eigen::MatrixXd x = model_matrix(space, o.terms, o.existing);
    problem.fixed = x.transpose() * x;
  }
  if (o.criterion == C::I) problem.weight = region_moments(space, o.terms);
  if (o.criterion == C::A) problem.weight = Eigen::MatrixXd::Identity(p, p);
  const int rounds = rounds_for(space, o);
  ExchangeResult best = o.criterion == C::G ? search_minimax(problem, o.restarts, rounds, seed)
                                            : search(problem, o.restarts, rounds, seed);
  if (!best.found)
    throw Error(fmt::format("no start led to {} runs that estimate all {} terms", o.runs, p), "plan optimal",
                "use more `runs` or `restarts`, or fewer terms");
  if (o.candidates.rows() == 0) best.points = settled(space, std::move(best.points));

  std::vector<int> order(std::size_t(o.runs));
  for (int i = 0; i < o.runs; ++i) order[std::size_t(i)] = i;
  if (o.random_order) {
    order = Stream(seed, "optimal order").permutation(o.runs);
  } else {
    std::sort(order.begin(), order.end(), [&](int a, int b) {
      for (Index j = 0; j < space.size(); ++j)
        if (best.points(a, j) != best.points(b, j)) return best.points(a, j) < best.points(b, j);
      return a < b;
    });
  }
  Plan plan = make_plan(best.points(order, Eigen::all), "optimal", "optimal", seed);
  plan.options = {{"runs", std::to_string(o.runs)},
                  {"criterion", std::string(name(o.criterion))},
                  {"model", describe(space, o.terms)},
                  {"restarts", std::to_string(o.restarts)},
                  {"order", o.random_order ? "random" : "standard"}};
  plan.next = std::uint64_t(o.runs);
  std::set<std::vector<double>> distinct;
  for (Index i = 0; i < plan.size(); ++i) {
    const Eigen::VectorXd point = plan.points.row(i);
    distinct.emplace(point.data(), point.data() + point.size());
  }
  if (Index(distinct.size()) < plan.size())
    plan.notes.push_back(fmt::format(
        "{} of {} runs repeat the setting of another: for this model nothing else tells more, and where runs "
        "scatter they measure the scatter; a deterministic solver gains nothing from them",
        plan.size() - Index(distinct.size()), plan.size()));
  return plan;
}

}  // namespace renth
