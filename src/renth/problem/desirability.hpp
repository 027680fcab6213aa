// How much a response is worth, from 0 to 1, and several together. Header-only: a page asks it at every move.
#pragma once
#include <algorithm>
#include <cmath>
#include <renth/problem/goal.hpp>

namespace renth {

/// Of one response: 0 at and beyond `zero`, 1 at and beyond `one`, straight between; for a target from `low`
/// and `high` to it (G. Derringer and R. Suich, J. Quality Technology 12, 1980, s = t = 1).
struct Desirability {
  Goal::Aim aim = Goal::Aim::maximise;
  double zero = 0, one = 1;              ///< maximise and minimise
  double low = 0, target = 0, high = 1;  ///< target
  double range = 0;                      ///< of the response over the region, if it is known

  double operator()(double y) const {
    if (aim != Goal::Aim::target) return std::clamp((y - zero) / (one - zero), 0.0, 1.0);
    if (y == target) return 1;
    const double edge = y < target ? low : high;
    return std::clamp((y - edge) / (target - edge), 0.0, 1.0);
  }

  /// The same, going on beyond the better end.
  double beyond(double y) const {
    return aim != Goal::Aim::target && one != zero ? (y - zero) / (one - zero) : (*this)(y);
  }

  /// How far `y` is beyond where it is 0, as a share of the way from 0 to 1; 0 inside.
  double outside(double y) const {
    if (aim != Goal::Aim::target) return std::max(0.0, (zero - y) / (one - zero));
    return std::max({0.0, (low - y) / (high - low), (y - high) / (high - low)});
  }
};

/// The desirability of a goal for a response that goes from `low` to `high` over the region: accept limits
/// where there are any, else those ends.
inline Desirability desirability_between(const Goal& goal, double low, double high) {
  Desirability r;
  r.aim = goal.aim;
  const double width = std::max(high - low, 1e-12 * std::max(1.0, std::abs(high)));
  const bool least = std::isfinite(goal.accept_min), most = std::isfinite(goal.accept_max);
  if (goal.aim == Goal::Aim::maximise) {
    r.zero = least ? goal.accept_min : low;
    r.one = high > r.zero ? high : r.zero + width;
  } else if (goal.aim == Goal::Aim::minimise) {
    r.zero = most ? goal.accept_max : high;
    r.one = low < r.zero ? low : r.zero - width;
  } else {
    r.target = goal.target;
    r.low = least ? goal.accept_min : std::min(low, goal.target - width);
    r.high = most ? goal.accept_max : std::max(high, goal.target + width);
  }
  return r;
}

/// Several desirabilities as one: their geometric mean, each as often as its weight says. One of 0 makes it
/// 0.
class OverallDesirability {
 public:
  void add(double desirability, double weight) {
    weights_ += weight;
    log_sum_ += weight * std::log(desirability);
  }
  /// 1 if nothing was added.
  double value() const { return weights_ > 0 ? std::exp(log_sum_ / weights_) : 1; }

 private:
  double log_sum_ = 0, weights_ = 0;
};

}  // namespace renth
