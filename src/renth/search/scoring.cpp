#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/search/scoring.hpp>
#include <renth/space/region.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// One setting at a time, with its responses.
Eigen::VectorXd responses_at(const SeekProblem& problem, const Eigen::VectorXd& point) {
  return problem.responses(point.transpose()).row(0).transpose();
}

/// A step along one parameter, down or up: to the next value that can be set, or by a hundredth of the span.
/// May leave the span.
double stepped(const Parameter& p, double value, int direction) {
  const double width = p.high - p.low;
  double step = 0.01 * width;
  if (p.step > 0) step = p.step;
  if (!p.values.empty()) {
    const auto here = std::find(p.values.begin(), p.values.end(), value);
    if (direction > 0 && here != p.values.end() && here + 1 != p.values.end()) return *(here + 1);
    if (direction < 0 && here != p.values.end() && here != p.values.begin()) return *(here - 1);
  }
  return value + direction * step;
}

/// A step away from a proposal.
struct Neighbour {
  Eigen::VectorXd point, responses;
  Index parameter = 0;
  bool inside = true;  ///< of the span
  bool up = true;
};

std::vector<Neighbour> neighbours(const SeekProblem& problem, const Eigen::VectorXd& point) {
  std::vector<Neighbour> out;
  for (Index j = 0; j < point.size(); ++j) {
    const Parameter& p = problem.space[j];
    if (p.is_choice()) continue;
    for (const int direction : {-1, 1}) {
      Neighbour n;
      n.point = point;
      n.point[j] = stepped(p, point[j], direction);
      const double spare = 1e-9 * (p.high - p.low);
      n.inside = n.point[j] >= p.low - spare && n.point[j] <= p.high + spare;
      n.parameter = j;
      n.up = direction > 0;
      out.push_back(std::move(n));
    }
  }
  Eigen::MatrixXd points(Index(out.size()), point.size());
  // Beyond its span a surrogate may know nothing: what lies there is judged from the step inwards.
  for (std::size_t i = 0; i < out.size(); ++i) points.row(Index(i)) = out[i].inside ? out[i].point : point;
  const Eigen::MatrixXd y = out.empty() ? Eigen::MatrixXd() : problem.responses(points);
  for (std::size_t i = 0; i < out.size(); ++i) out[i].responses = y.row(Index(i)).transpose();
  return out;
}

/// What a step must gain or lose to make a difference: a ten-thousandth of the desirability.
constexpr double notable = 1e-4;

bool holds_limits(const SeekProblem& problem, const Eigen::VectorXd& point, int without = -1) {
  for (std::size_t l = 0; l < problem.space.limits().size(); ++l)
    if (int(l) != without && margin_or_worst(problem.space.limits()[l], point) < 0) return false;
  return true;
}

}  // namespace

namespace {

/// The overall desirability, or how far from it; NaN where a goal's response is undefined.
double wanted(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
              const Eigen::VectorXd& y) {
  OverallDesirability overall;
  double outside = 0;
  for (std::size_t g = 0; g < problem.goals.size(); ++g) {
    const double value = y[problem.goals[g].response], weight = problem.goals[g].weight;
    if (std::isnan(value)) return value;
    overall.add(desirabilities[g](value), weight);
    outside += weight * desirabilities[g].outside(value);
  }
  return overall.value() > 0 ? overall.value() : -outside / (1 + outside);
}

}  // namespace

Score score(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
            const Eigen::VectorXd& point, const Eigen::VectorXd& y, int without) {
  Score s;
  for (std::size_t k = 0; k < problem.constraints.size(); ++k) {
    if (int(k) == without) continue;
    const Constraint& c = problem.constraints[k];
    const double margin = c.margin(point.data(), y.data());
    if (!(margin >= 0)) s.violation += std::isfinite(margin) ? -margin / c.scale : 1e3;
  }
  OverallDesirability overall;
  for (std::size_t g = 0; g < problem.goals.size(); ++g) {
    const double value = y[problem.goals[g].response], weight = problem.goals[g].weight;
    if (std::isnan(value)) s.violation += 1e3;  // undefined here: not a place to propose
    overall.add(desirabilities[g](value), weight);
    s.outside += weight * desirabilities[g].outside(value);
  }
  s.desirability = overall.value();
  return s;
}

Eigen::MatrixXd scaled_margins(const SeekProblem& problem, Points points, const Eigen::MatrixXd& responses) {
  Eigen::MatrixXd out(points.rows(), Index(problem.constraints.size()));
  Eigen::VectorXd point, values;
  for (Index i = 0; i < points.rows() && out.cols() > 0; ++i) {
    point = points.row(i);
    values = responses.row(i);
    for (std::size_t k = 0; k < problem.constraints.size(); ++k)
      out(i, Index(k)) =
          problem.constraints[k].margin(point.data(), values.data()) / problem.constraints[k].scale;
  }
  return out;
}

Aims aims_of(const SeekProblem& problem, const std::vector<Desirability>& desirabilities) {
  return [&](Points x) {
    const Eigen::MatrixXd y = problem.responses(x);
    Eigen::MatrixXd out(x.rows(), 1 + Index(problem.constraints.size()));
    for (Index i = 0; i < x.rows(); ++i) out(i, 0) = wanted(problem, desirabilities, y.row(i).transpose());
    out.rightCols(out.cols() - 1) = scaled_margins(problem, x, y);
    return out;
  };
}

std::vector<Binding> binding_limits(const SeekProblem& problem,
                                    const std::vector<Desirability>& desirabilities, const Proposal& p) {
  std::vector<Binding> out;
  const std::vector<Neighbour> around = neighbours(problem, p.point);
  // What would be gained by a step, were one constraint not there.
  const auto gain = [&](const Neighbour& n, int without) {
    const Score here = score(problem, desirabilities, p.point, p.responses, without),
                there = score(problem, desirabilities, n.point, n.responses, without);
    if (here.violation > 0 || there.violation > 0 || !(here.desirability > 0))
      return there.order() - here.order();
    double sum =
        0;  // of the logarithm of the desirability, were its desirabilities not to end at what the region has
    for (std::size_t g = 0; g < problem.goals.size(); ++g) {
      const int k = problem.goals[g].response;
      const double from = desirabilities[g].beyond(p.responses[k]),
                   to = desirabilities[g].beyond(n.responses[k]);
      sum += problem.goals[g].weight * (to - from) / std::max(from, 1e-3);
    }
    return sum;
  };
  for (std::size_t k = 0; k < problem.constraints.size(); ++k) {
    const Constraint& c = problem.constraints[k];
    if (c.margin(p.point.data(), p.responses.data()) < 0) {
      out.push_back({Binding::Kind::constraint, k, true, "violated: " + c.text});
      continue;
    }
    if (std::any_of(around.begin(), around.end(), [&](const Neighbour& n) {
          return n.inside && !(c.margin(n.point.data(), n.responses.data()) >= 0) &&
                 holds_limits(problem, n.point) && gain(n, int(k)) > notable;
        }))
      out.push_back({Binding::Kind::constraint, k, false, c.text});
  }
  for (std::size_t l = 0; l < problem.space.limits().size(); ++l) {
    const Limit& limit = problem.space.limits()[l];
    if (std::any_of(around.begin(), around.end(), [&](const Neighbour& n) {
          return n.inside && margin_or_worst(limit, n.point) < 0 && holds_limits(problem, n.point, int(l)) &&
                 gain(n, -1) > notable;
        }))
      out.push_back({Binding::Kind::limit, l, false, limit.text});
  }
  for (const Neighbour& n : around) {
    if (n.inside) continue;
    const Parameter& q = problem.space[n.parameter];
    const double spare = 1e-6 * (q.high - q.low);
    if (n.up ? p.point[n.parameter] < q.high - spare : p.point[n.parameter] > q.low + spare) continue;
    // At an end it is the end that binds if a step inwards is worse.
    const auto inwards = std::find_if(around.begin(), around.end(), [&](const Neighbour& other) {
      return other.parameter == n.parameter && other.inside;
    });
    if (inwards != around.end() && (gain(*inwards, -1) < -notable || !holds_limits(problem, inwards->point)))
      out.push_back({n.up ? Binding::Kind::high_end : Binding::Kind::low_end, std::size_t(n.parameter), false,
                     fmt::format("{} at the {} end of its span", q.name, n.up ? "high" : "low")});
  }
  return out;
}

namespace {

constexpr int places_along = 9;
constexpr double no_difference = 0.005;  // of a response's range over the region

/// The values of one parameter that stand for all: places along a span, or all that can be set.
std::vector<double> values_along(const Parameter& p) {
  std::vector<double> out;
  const int count = p.is_between() ? places_along : p.settable_count();
  for (int i = 0; i < count; ++i)
    out.push_back(p.is_between() ? p.low + (p.high - p.low) * i / (places_along - 1) : p.settable(i));
  return out;
}

/// Points with one parameter moved along.
Eigen::MatrixXd moved_along(const Parameter& p, Index j, const Eigen::VectorXd& point) {
  const std::vector<double> values = values_along(p);
  Eigen::MatrixXd out = point.transpose().replicate(Index(values.size()), 1);
  for (std::size_t i = 0; i < values.size(); ++i) out(Index(i), j) = values[i];
  return out;
}

/// Do goals and constraints differ, between points of which one parameter is another, by what is minded?
bool differ(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
            const Eigen::MatrixXd& points) {
  const Eigen::MatrixXd y = problem.responses(points);
  const auto wide = [](const Eigen::VectorXd& values, double most) {
    return !(values.maxCoeff() - values.minCoeff() <= most);
  };
  for (std::size_t g = 0; g < problem.goals.size(); ++g)
    if (wide(y.col(problem.goals[g].response), no_difference * desirabilities[g].range)) return true;
  for (const Constraint& c : problem.constraints) {
    Eigen::VectorXd margin(points.rows());
    for (Index i = 0; i < points.rows(); ++i) {
      const Eigen::VectorXd x = points.row(i), values = y.row(i);
      margin[i] = c.margin(x.data(), values.data());
    }
    if (wide(margin, c.no_difference * c.scale)) return true;
  }
  for (const Limit& limit : problem.space.limits()) {
    Eigen::VectorXd margin(points.rows());
    for (Index i = 0; i < points.rows(); ++i) margin[i] = margin_or_worst(limit, points.row(i).transpose());
    if (wide(margin, 0)) return true;
  }
  return false;
}

}  // namespace

std::vector<Index> idle_parameters(const SeekProblem& problem,
                                   const std::vector<Desirability>& desirabilities,
                                   const std::vector<bool>& held, Seed seed) {
  constexpr int settings = 32;
  const Eigen::MatrixXd places =
      sample_region(problem.space, settings, Values::physical, seed, "idle parameters");
  std::vector<Index> out;
  for (Index j = 0; j < problem.space.size(); ++j) {
    bool idle = !held[std::size_t(j)];
    for (Index i = 0; i < places.rows() && idle; ++i)
      idle = !differ(problem, desirabilities, moved_along(problem.space[j], j, places.row(i).transpose()));
    if (idle) out.push_back(j);
  }
  return out;
}

std::vector<Index> free_parameters(const SeekProblem& problem,
                                   const std::vector<Desirability>& desirabilities,
                                   const std::vector<bool>& held, Proposal& p) {
  const auto as_good = [&](const Eigen::VectorXd& point, const Eigen::VectorXd& y) {
    if (!holds_limits(problem, point)) return false;
    for (const Constraint& c : problem.constraints)
      if (!(c.margin(point.data(), y.data()) >= 0)) return false;
    for (std::size_t g = 0; g < problem.goals.size(); ++g) {
      const int k = problem.goals[g].response;
      if (!(std::abs(y[k] - p.responses[k]) <= no_difference * desirabilities[g].range)) return false;
    }
    return true;
  };
  std::vector<Index> out;
  if (!p.feasible) return out;
  for (Index j = 0; j < p.point.size(); ++j) {
    if (held[std::size_t(j)]) continue;
    const Eigen::MatrixXd points = moved_along(problem.space[j], j, p.point);
    const Eigen::MatrixXd y = problem.responses(points);
    bool free = true;
    for (Index i = 0; i < points.rows() && free; ++i)
      free = as_good(points.row(i).transpose(), y.row(i).transpose());
    if (free) out.push_back(j);
  }
  // One after another: together they may make what none of them makes alone.
  Eigen::VectorXd point = p.point;
  std::erase_if(out, [&](Index j) {
    const double before = point[j];
    point[j] = problem.space[j].nominal;
    if (as_good(point, responses_at(problem, point))) return false;
    point[j] = before;
    return true;
  });
  p.point = point;
  return out;
}

}  // namespace renth
