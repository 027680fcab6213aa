#include <algorithm>
#include <cmath>
#include <renth/tolerance/tolerance.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr double least_factor = 0.01;

/// Yields with other tolerances, always from the same draws.
class Tightening {
 public:
  Tightening(const ScatterDraw& draw, const Specification& specification, const Eigen::VectorXd& at,
             Index each, Seed seed)
      : draw_(draw), specification_(specification), at_(at) {
    constexpr Index parts = 32;
    units_ = unit_sample(Sampling::sobol, parts, each, draw.dimensions() + specification.noise(), seed);
    normals_ = normal_scores(units_.rightCols(specification.noise()));
  }
  double yield(const Eigen::VectorXd& factors) const {
    const Eigen::MatrixXd margins =
        specification_
            .at(draw_.around(at_.transpose(), units_.leftCols(draw_.dimensions()), factors), normals_)
            .margins;
    return share_passing(margins);
  }

 private:
  const ScatterDraw& draw_;
  const Specification& specification_;
  const Eigen::VectorXd at_;
  Eigen::MatrixXd units_, normals_;
};

double cost_of(const Eigen::VectorXd& prices, const Eigen::VectorXd& factors) {
  return (prices.array() * (1 / factors.array() - 1)).sum();
}

/// Tightens what gains most for its price until the target is reached, or nothing helps.
Eigen::VectorXd tightened(const Tightening& with, const Eigen::VectorXd& prices, double target,
                          Eigen::VectorXd factors) {
  constexpr double step = 0.8;
  double now = with.yield(factors);
  while (now < target) {
    double best = 0, reached = now;
    Eigen::VectorXd next = factors;
    for (double s = step; s > 0.1 && best == 0; s *= s)  // a plateau may need a longer step
      for (Index k = 0; k < factors.size(); ++k) {
        Eigen::VectorXd tried = factors;
        tried[k] = std::max(least_factor, factors[k] * s);
        if (tried[k] == factors[k]) continue;
        const double yield = with.yield(tried);
        const double gain = (yield - now) / (cost_of(prices, tried) - cost_of(prices, factors));
        if (gain > best) best = gain, next = tried, reached = yield;
      }
    if (best == 0) break;
    factors = next;
    now = reached;
  }
  return factors;
}

/// The widest that one tolerance may be with the target reached still.
double widest(const Tightening& with, Eigen::VectorXd factors, Index k, double target) {
  const auto holds = [&](double factor) {
    factors[k] = factor;
    return with.yield(factors) >= target;
  };
  double low = factors[k];
  // Most often there is no room at all.
  if (!holds(std::min(1.0, 1.01 * low))) return low;
  if (holds(1)) return 1;
  double high = 1;
  for (int i = 0; i < 7; ++i) {
    const double middle = std::sqrt(low * high);
    (holds(middle) ? low : high) = middle;
  }
  return low;
}

/// Exchanges: one tolerance tighter, another as much wider as the target allows, where that is cheaper.
void exchange(const Tightening& with, const Eigen::VectorXd& prices, double target,
              Eigen::VectorXd& factors) {
  for (Index k = 0; k < factors.size(); ++k) factors[k] = widest(with, factors, k, target);
  for (double step = 0.25; step > 0.015; step *= 0.5) {
    bool better = true;
    for (int round = 0; better && round < 20; ++round) {
      better = false;
      for (Index a = 0; a < factors.size(); ++a)
        for (Index b = 0; b < factors.size(); ++b) {
          if (a == b || factors[b] >= 1) continue;
          Eigen::VectorXd tried = factors;
          tried[a] = std::max(least_factor, factors[a] * (1 - step));
          tried[b] = widest(with, tried, b, target);
          if (cost_of(prices, tried) < cost_of(prices, factors) * (1 - 1e-4)) factors = tried, better = true;
        }
    }
  }
}

}  // namespace

ToleranceReach tolerances_for(const ScatterDraw& draw, const Specification& specification,
                              const Eigen::VectorXd& at, double target, double level, Seed seed) {
  const Tightening coarse(draw, specification, at, 64, hash64("reach", seed)),
      with(draw, specification, at, 128, hash64("reach", seed));
  const Space& space = specification.predictor().problem().space;
  Eigen::VectorXd prices(draw.dimensions());
  for (Index k = 0; k < prices.size(); ++k)
    prices[k] = space[draw.parameters()[std::size_t(k)]].scatter.tighten_cost;
  const auto judged = [&](const Eigen::VectorXd& factors) {
    constexpr Index draws = 65'536;
    return yield_of(
        draw_sample(draw, specification, at, Sampling::sobol, draws, hash64("reached", seed), factors),
        level);
  };
  ToleranceReach out;
  out.target = target;
  // What was sought on some draws does a little worse on others: a little more is asked of those.
  double asked = target;
  Eigen::VectorXd factors = tightened(coarse, prices, target, Eigen::VectorXd::Ones(prices.size()));
  for (int round = 0; round < 3 && asked < 1; ++round) {
    factors = tightened(with, prices, asked, factors);
    const bool possible = with.yield(factors) >= asked;
    if (possible) exchange(with, prices, asked, factors);
    out.yield = judged(factors);
    if (out.yield.value >= target || !possible) break;
    asked += 1.3 * (target - out.yield.value);
  }
  // The last hair by all of them together.
  for (int k = 0; k < 8 && out.yield.value < target && out.yield.value > target - 0.01; ++k) {
    factors *= 0.985;
    out.yield = judged(factors);
  }
  out.reached = out.yield.value >= target;
  out.cost = cost_of(prices, factors);
  for (Index k = 0; k < factors.size(); ++k)
    out.tolerances.push_back({draw.parameters()[std::size_t(k)], factors[k]});
  return out;
}

}  // namespace renth
