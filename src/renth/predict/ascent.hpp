// Going up within bounds, by values alone. Header-only: a page does it while somebody waits.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <limits>

namespace renth {

struct AscentOptions {
  int most_steps = 40;
  double step = 1e-4;        ///< of differences, as a share of the bounds
  double tolerance = 1e-12;  ///< stop when a step gains less, as a share of the value
};

/// The highest point that was seen.
struct AscentEnd {
  Eigen::VectorXd at;
  double value = -std::numeric_limits<double>::infinity();
  int evaluations = 0;
};

namespace detail {

/// Gradient by central differences, one-sided at a bound or beside a place without a value.
template <class Value>
Eigen::VectorXd block_gradient(const Value& value, const AscentEnd& here, const Eigen::VectorXd& low,
                               const Eigen::VectorXd& high, double step) {
  const Eigen::Index k = here.at.size();
  Eigen::MatrixXd around = here.at.transpose().replicate(2 * k, 1);
  for (Eigen::Index j = 0; j < k; ++j) {
    const double h = step * (high[j] - low[j]);
    around(2 * j, j) = std::min(high[j], here.at[j] + h);
    around(2 * j + 1, j) = std::max(low[j], here.at[j] - h);
  }
  const Eigen::VectorXd v = value(around);
  Eigen::VectorXd out = Eigen::VectorXd::Zero(k);
  for (Eigen::Index j = 0; j < k; ++j) {
    const bool up = std::isfinite(v[2 * j]), down = std::isfinite(v[2 * j + 1]);
    const double above = up ? v[2 * j] : here.value, below = down ? v[2 * j + 1] : here.value;
    const double width = (up ? around(2 * j, j) : here.at[j]) - (down ? around(2 * j + 1, j) : here.at[j]);
    if (width > 0) out[j] = (above - below) / width;
  }
  return out;
}

/// Where to go: the gradient turned by what is known of the curvature, coordinates that press against a bound
/// left out; no farther than across the bounds. Zero where there is nowhere to go.
inline Eigen::VectorXd direction_up(const Eigen::VectorXd& at, const Eigen::VectorXd& gradient,
                                    const Eigen::MatrixXd& inverse, const Eigen::VectorXd& low,
                                    const Eigen::VectorXd& high) {
  const Eigen::VectorXd span = high - low;
  Eigen::VectorXd free = gradient;
  for (Eigen::Index j = 0; j < at.size(); ++j)
    if ((at[j] <= low[j] && gradient[j] < 0) || (at[j] >= high[j] && gradient[j] > 0)) free[j] = 0;
  Eigen::VectorXd direction = (free.array() == 0).select(0, inverse * free);
  if (!(direction.dot(free) > 0)) direction = span.cwiseAbs2().cwiseProduct(free);
  const double longest = direction.cwiseQuotient(span).cwiseAbs().maxCoeff();
  return longest > 1 ? Eigen::VectorXd(direction / longest) : direction;
}

/// The update of the inverse by Broyden, Fletcher, Goldfarb and Shanno; none where the surface bends upwards.
inline void learn_curvature(const Eigen::VectorXd& moved, const Eigen::VectorXd& change,
                            Eigen::MatrixXd& inverse) {
  const double curvature = moved.dot(change);
  if (!(curvature > 1e-12 * moved.norm() * change.norm())) return;
  const Eigen::VectorXd along = inverse * change;
  inverse += (curvature + change.dot(along)) / (curvature * curvature) * moved * moved.transpose() -
             (along * moved.transpose() + moved * along.transpose()) / curvature;
}

}  // namespace detail

/// Quasi-Newton steps of Broyden, Fletcher, Goldfarb and Shanno, with coordinates that press against a bound
/// left out (D. P. Bertsekas, SIAM Journal on Control and Optimization 20, 1982, section 2). All points of a
/// gradient are asked at once, and all lengths of a step, so that a surrogate answers in blocks.
///
/// \param value  m × k points in, m values out; −∞ or NaN where a point is not allowed.
/// \param start  k, within low and high.
template <class Value>
AscentEnd ascend(const Value& value, const Eigen::VectorXd& start, const Eigen::VectorXd& low,
                 const Eigen::VectorXd& high, const AscentOptions& options = {}) {
  constexpr int lengths = 12;
  const Eigen::Index k = start.size();
  AscentEnd best{start, value(Eigen::MatrixXd(start.transpose()))[0], 1};
  if (k == 0 || !std::isfinite(best.value)) return best;
  Eigen::MatrixXd inverse = (high - low).cwiseAbs2().asDiagonal();  // of minus the second derivatives
  Eigen::VectorXd gradient = detail::block_gradient(value, best, low, high, options.step);
  for (int round = 0; round < options.most_steps; ++round) {
    const Eigen::VectorXd direction = detail::direction_up(best.at, gradient, inverse, low, high);
    if (direction.isZero(0)) break;
    Eigen::MatrixXd tries(lengths, k);
    for (int i = 0; i < lengths; ++i)
      tries.row(i) = (best.at + direction * std::pow(0.35, i)).cwiseMax(low).cwiseMin(high);
    const Eigen::VectorXd values = value(tries);
    best.evaluations += lengths + 2 * int(k);
    Eigen::Index chosen = -1;
    for (Eigen::Index i = 0; i < lengths; ++i)
      if (std::isfinite(values[i]) && values[i] > (chosen < 0 ? best.value : values[chosen])) chosen = i;
    if (chosen < 0) break;
    const Eigen::VectorXd moved = tries.row(chosen).transpose() - best.at;
    const double gained = values[chosen] - best.value;
    best.at = tries.row(chosen);
    best.value = values[chosen];
    if (gained <= options.tolerance * std::abs(best.value)) break;
    const Eigen::VectorXd next = detail::block_gradient(value, best, low, high, options.step);
    detail::learn_curvature(moved, gradient - next, inverse);
    gradient = next;
  }
  return best;
}

}  // namespace renth
