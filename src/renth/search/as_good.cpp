#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/search/as_good.hpp>

namespace renth {

double AsGood::worth(const Eigen::VectorXd& y) const {
  if (single_) {
    const Goal& goal = problem_.goals.front();
    const double value = y[goal.response];
    if (goal.aim == Goal::Aim::target) return -std::abs(value - goal.target);
    return goal.aim == Goal::Aim::maximise ? value : -value;
  }
  OverallDesirability overall;
  for (std::size_t g = 0; g < problem_.goals.size(); ++g)
    overall.add(desirabilities_[g](y[problem_.goals[g].response]), problem_.goals[g].weight);
  if (overall.value() > 0) return overall.value();
  double outside = 0;  // so that among what is not wanted at all some is still nearer to it
  for (std::size_t g = 0; g < problem_.goals.size(); ++g)
    outside += problem_.goals[g].weight * desirabilities_[g].outside(y[problem_.goals[g].response]);
  return -outside / (1 + outside);
}

AsGood::AsGood(const SeekProblem& problem, const std::vector<Desirability>& desirabilities,
               const Proposal& best, const std::optional<Loss>& loss, const MeanVariance& variance,
               double level)
    : problem_(problem),
      desirabilities_(desirabilities),
      best_(best),
      variance_(variance),
      single_(problem.goals.size() == 1) {
  best_worth_ = worth(best.responses);
  range_ = single_ && desirabilities.front().range > 0 ? desirabilities.front().range : 1;
  if (loss) {
    // A share of a response is of its value, not of its distance from a target.
    const double of = single_ ? best.responses[problem.goals.front().response] : best_worth_;
    allowed_ = loss->is_share ? loss->amount * std::abs(of) : loss->amount;
    return;
  }
  if (!variance) throw Error("nothing says how sure the responses are", "near best", "give a loss");
  allowed_ = undefined;
  quantile_ = normal_quantile(level);
  slopes_ = Eigen::VectorXd::Zero(Eigen::Index(problem.goals.size()));
  for (std::size_t g = 0; g < problem.goals.size(); ++g) {
    const int k = problem.goals[g].response;
    if (single_) {
      slopes_[Eigen::Index(g)] = 1;
      continue;
    }
    const double step = 1e-4 * std::max(desirabilities[g].range, 1e-300);
    Eigen::VectorXd up = best.responses, down = best.responses;
    up[k] += step;
    down[k] -= step;
    // One-sided where it ends: the steeper side counts.
    const double above = worth(up) - best_worth_, below = best_worth_ - worth(down);
    slopes_[Eigen::Index(g)] = std::max(std::abs(above), std::abs(below)) / step;
  }
}

Eigen::VectorXd AsGood::margins(Points points, const Eigen::MatrixXd& responses) const {
  Eigen::VectorXd out(points.rows());
  for (Eigen::Index i = 0; i < points.rows(); ++i) out[i] = worth(responses.row(i).transpose()) - best_worth_;
  if (std::isfinite(allowed_)) {
    out.array() += allowed_;
  } else {
    Eigen::VectorXd variance = Eigen::VectorXd::Zero(points.rows());
    for (std::size_t g = 0; g < problem_.goals.size(); ++g)
      variance += slopes_[Eigen::Index(g)] * slopes_[Eigen::Index(g)] *
                  variance_(points, problem_.goals[g].response).cwiseMax(0);
    out += quantile_ * variance.cwiseSqrt();
  }
  return out / range_;
}

Eigen::VectorXd AsGood::all_margins(Points points) const {
  constexpr double never = -std::numeric_limits<double>::infinity();
  const Eigen::MatrixXd y = problem_.responses(points);
  Eigen::VectorXd out = Eigen::VectorXd::Constant(points.rows(), -never), point, values;
  std::vector<Eigen::Index> held;
  for (Eigen::Index i = 0; i < points.rows(); ++i) {
    point = points.row(i);
    values = y.row(i);
    for (const Limit& limit : problem_.space.limits())
      out[i] = std::min(out[i], margin_or_worst(limit, point));
    for (const Constraint& c : problem_.constraints) {
      const double margin = c.margin(point.data(), values.data()) / c.scale;
      out[i] = std::isnan(margin) ? never : std::min(out[i], margin);
    }
    if (out[i] >= 0) held.push_back(i);
  }
  // Elsewhere how good they are is told without variances, which cost the most.
  const Eigen::VectorXd good = margins(points(held, Eigen::all), y(held, Eigen::all));
  for (std::size_t h = 0; h < held.size(); ++h) {
    const double m = good[Eigen::Index(h)];
    out[held[h]] = std::isnan(m) ? never : std::min(out[held[h]], m);
  }
  const double spare = std::isfinite(allowed_) ? allowed_ : 0;
  for (Eigen::Index i = 0; i < out.size(); ++i) {
    if (!(out[i] < 0)) continue;
    const double lead = (worth(y.row(i).transpose()) - best_worth_ + spare) / range_;
    if (!std::binary_search(held.begin(), held.end(), i))
      out[i] = std::isnan(lead) ? never : std::min(out[i], lead);
  }
  return out;
}

}  // namespace renth
