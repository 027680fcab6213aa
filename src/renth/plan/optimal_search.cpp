#include <algorithm>
#include <cmath>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/exchanged_model.hpp>
#include <renth/plan/optimal_search.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// What improving one row costs with these terms, roughly.
double row_cost(const Space& space, const Terms& terms, Index candidates) {
  const auto p = double(terms.size());
  if (candidates > 0) return p * p * double(candidates);
  double row = p * p;
  for (Index j = 0; j < space.size(); ++j) {
    double with = 0;
    for (const Term& t : terms)
      with +=
          std::any_of(t.factors.begin(), t.factors.end(), [&](const Factor& f) { return f.parameter == j; });
    const int count = space[j].settable_count();
    row += with * with * (count > 0 && count <= 12 ? count : 12);  // values in between are refined besides
  }
  return row;
}

/// How often a start is perturbed: enough to find good optima, bounded so that cost stays in seconds.
int rounds_for(const ExchangeProblem& problem) {
  const Index candidates = problem.candidates.rows();
  double row = 0;
  for (const ExchangeModel& m : problem.models) row += row_cost(problem.space, m.terms, candidates);
  return int(std::clamp(6e6 / (row * double(problem.rows)), candidates > 5000 ? 0.0 : 8.0, 340.0));
}

struct Best {
  ExchangeResult result;
  std::size_t start = 0;
};

ExchangeResult search(const ExchangeProblem& problem, int restarts, int rounds, Seed seed,
                      const ExchangeResult& from = {}) {
  std::vector<ExchangeResult> results(static_cast<std::size_t>(restarts));
  const auto index = [&](int phase, std::int64_t k) {
    return (std::uint64_t(problem.rows + problem.repeats.sum()) * 4 + std::uint64_t(phase)) * 1'000'003 +
           std::uint64_t(k);
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
    longer[std::size_t(k)] = exchange(problem, more, stream, found[std::size_t(k)]);
  });
  for (ExchangeResult& r : longer)
    if (r.found && r.value > found[0].value) found[0] = std::move(r);
  return found[0];
}

Eigen::MatrixXd inverse_information(const ExchangeProblem& problem, const ExchangeResult& rows) {
  ExchangedModel model(problem, problem.models[0]);
  const Eigen::MatrixXd coded = problem.space.to_coded(rows.points).transpose();
  for (Index i = 0; i < coded.cols(); ++i) model.set_row(i, coded.col(i).data(), rows.runs[i]);
  model.refresh(0);
  return model.state().inverse;
}

}  // namespace

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

ExchangeResult search_optimum(const ExchangeProblem& problem, int restarts, Seed seed) {
  return search(problem, restarts, rounds_for(problem), seed);
}

/// The largest variance through weights: trace(M⁻¹B) with B from the points of the region where the
/// variance is large, reweighted until that stops helping (as in C. L. Lawson's minimax algorithm, 1961).
ExchangeResult search_minimax(const ExchangeProblem& given, int restarts, Seed seed) {
  ExchangeProblem problem = given;
  const int rounds = rounds_for(problem);
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
  Eigen::MatrixXd f = model_matrix(problem.space, problem.models[0].terms, region);
  f.conservativeResizeLike(Eigen::MatrixXd::Zero(f.rows(), f.cols() + problem.columns.cols()));
  Eigen::VectorXd weight = Eigen::VectorXd::Constant(f.rows(), 1.0 / double(f.rows()));
  ExchangeResult best;
  double least = INFINITY;
  ExchangeResult from;
  for (int step = 0; step < 24; ++step) {
    problem.models[0].weight = f.transpose() * weight.asDiagonal() * f;
    ExchangeResult now =
        search(problem, step == 0 ? restarts : 1, step == 0 ? rounds : std::max(4, rounds / 8), seed, from);
    if (!now.found) return best;
    const Eigen::VectorXd variance = (f * inverse_information(problem, now)).cwiseProduct(f).rowwise().sum();
    if (variance.maxCoeff() < least) {
      least = variance.maxCoeff();
      best = now;
      best.value = -least;
    }
    from = best;
    weight = weight.cwiseProduct(variance.cwiseProduct(variance));
    weight /= weight.sum();
  }
  return best;
}

}  // namespace renth
