#include <algorithm>
#include <cmath>
#include <nlopt.hpp>
#include <renth/search/landscape.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// From 0 … 1 of a span; its ends exactly, also where rounding stopped short of them.
double on_span(const Parameter& p, double x) {
  constexpr double hair = 1e-13;
  if (x <= hair) return p.low;
  if (x >= 1 - hair) return p.high;
  return std::clamp(p.low + x * (p.high - p.low), p.low, p.high);
}

/// Value, margins and limits with their slopes in some parameters, the others held; asked in one block.
class Slopes {
 public:
  Slopes(const Landscape& landscape, const std::vector<Index>& moving, const Eigen::VectorXd& at)
      : landscape_(landscape), moving_(moving), point_(at) {}

  Index columns() const { return value_.size(); }

  /// \param x  values of the moving parameters over their spans, 0 … 1.
  void ask(const double* x) {
    const auto n = Index(moving_.size());
    const Eigen::VectorXd wanted = Eigen::Map<const Eigen::VectorXd>(x, n);
    if (at_.size() == n && at_ == wanted) return;
    at_ = wanted;
    constexpr double step = 1e-5;
    Eigen::MatrixXd points = natural(wanted).transpose().replicate(2 * n + 1, 1);
    Eigen::VectorXd width(n);
    for (Index i = 0; i < n; ++i) {
      const Parameter& p = landscape_.space()[moving_[std::size_t(i)]];
      const double up = std::min(1.0, wanted[i] + step), down = std::max(0.0, wanted[i] - step);
      points(2 * i + 1, moving_[std::size_t(i)]) = p.low + up * (p.high - p.low);
      points(2 * i + 2, moving_[std::size_t(i)]) = p.low + down * (p.high - p.low);
      width[i] = up - down;
    }
    const Eigen::MatrixXd y = landscape_.columns(points);
    value_ = y.row(0);
    slope_.resize(y.cols(), n);
    for (Index i = 0; i < n; ++i)
      slope_.col(i) = (y.row(2 * i + 1) - y.row(2 * i + 2)).transpose() / width[i];
    is_sound_ = value_.allFinite() && slope_.allFinite();
  }

  Eigen::VectorXd natural(const Eigen::VectorXd& x) const {
    Eigen::VectorXd out = point_;
    for (std::size_t i = 0; i < moving_.size(); ++i) {
      const Parameter& p = landscape_.space()[moving_[i]];
      out[moving_[i]] = on_span(p, x[Index(i)]);
    }
    return out;
  }

  double value(Index column) const { return value_[column]; }
  double slope(Index column, Index i) const { return slope_(column, i); }
  bool is_sound() const { return is_sound_; }

 private:
  const Landscape& landscape_;
  const std::vector<Index>& moving_;
  Eigen::VectorXd point_, at_, value_;
  Eigen::MatrixXd slope_;
  bool is_sound_ = true;
};

/// Sequential quadratic programming from a candidate; what ends outside by a hair is brought back towards it.
void follow_slopes(const Landscape& landscape, const std::vector<Index>& moving, Climber& best) {
  const auto n = unsigned(moving.size());
  if (n == 0) return;
  std::vector<double> x(n);
  for (unsigned i = 0; i < n; ++i) {
    const Parameter& p = landscape.space()[moving[i]];
    x[i] = std::clamp((best.point[moving[i]] - p.low) / (p.high - p.low), 0.0, 1.0);
  }
  Slopes slopes(landscape, moving, best.point);
  slopes.ask(x.data());
  if (!slopes.is_sound()) return;
  const auto margins = unsigned(slopes.columns() - 1);
  nlopt::opt optimiser(nlopt::LD_SLSQP, n);
  optimiser.set_lower_bounds(0.0);
  optimiser.set_upper_bounds(1.0);
  optimiser.set_maxeval(60);
  optimiser.set_xtol_rel(1e-10);
  optimiser.set_xtol_abs(1e-9);
  optimiser.set_ftol_rel(1e-12);
  optimiser.set_max_objective(
      [](unsigned size, const double* at, double* gradient, void* data) {
        Slopes& s = *static_cast<Slopes*>(data);
        s.ask(at);
        if (!s.is_sound()) throw nlopt::forced_stop();
        for (unsigned i = 0; gradient && i < size; ++i) gradient[i] = s.slope(0, i);
        return s.value(0);
      },
      &slopes);
  constexpr double spare = 1e-10;  // so that rounding does not break a margin
  if (margins > 0)
    optimiser.add_inequality_mconstraint(
        [](unsigned count, double* result, unsigned size, const double* at, double* gradient, void* data) {
          Slopes& s = *static_cast<Slopes*>(data);
          s.ask(at);
          for (unsigned c = 0; c < count; ++c) {
            result[c] = spare - s.value(Index(c) + 1);
            for (unsigned i = 0; gradient && i < size; ++i)
              gradient[c * size + i] = -s.slope(Index(c) + 1, i);
          }
        },
        &slopes, std::vector<double>(margins, 1e-12));
  try {
    double ignored = 0;
    optimiser.optimize(x, ignored);
  } catch (const std::exception&) {
    // Rounding or the edge of what is defined stopped it; where it got to is looked at all the same.
  }
  const Eigen::VectorXd end = slopes.natural(Eigen::Map<const Eigen::VectorXd>(x.data(), n));
  if (!end.allFinite()) return;
  constexpr double back[] = {0, 1e-9, 1e-7, 1e-5, 1e-3, 0.03, 0.3};
  Eigen::MatrixXd tries = best.point.transpose().replicate(Index(std::size(back)), 1);
  for (std::size_t k = 0; k < std::size(back); ++k)
    for (const Index j : moving) {
      const Parameter& p = landscape.space()[j];
      if (best.point[j] != end[j])
        tries(Index(k), j) = std::clamp((1 - back[k]) * end[j] + back[k] * best.point[j], p.low, p.high);
    }
  const std::vector<Standing> found = landscape.at(tries);
  for (std::size_t k = 0; k < found.size(); ++k)
    if (found[k].better_than(best.standing)) best = {tries.row(Index(k)).transpose(), found[k]};
}

/// The settable values of a parameter nearest to `value`, at most `most`, without `value`.
std::vector<double> nearest_settable(const Parameter& p, double value, int most) {
  std::vector<double> out;
  for (int i = 0; i < p.settable_count(); ++i)
    if (p.settable(i) != value) out.push_back(p.settable(i));
  if (int(out.size()) > most && !p.is_choice()) {
    std::stable_sort(out.begin(), out.end(),
                     [&](double a, double b) { return std::abs(a - value) < std::abs(b - value); });
    out.resize(std::size_t(most));
  }
  return out;
}

/// All values of one discrete parameter, then neighbours of two at once.
void exchange(const Landscape& landscape, Climber& best) {
  const std::vector<Index>& discrete = landscape.discrete();
  std::vector<Eigen::VectorXd> tries;
  const auto values = [&](Index j, int most) {
    return nearest_settable(landscape.space()[j], best.point[j], most);
  };
  for (const Index j : discrete)
    for (const double v : values(j, 64)) {
      tries.push_back(best.point);
      tries.back()[j] = v;
    }
  for (std::size_t a = 0; a < discrete.size(); ++a)
    for (std::size_t b = 0; b < a; ++b)
      for (const double va : values(discrete[a], 2))
        for (const double vb : values(discrete[b], 2)) {
          tries.push_back(best.point);
          tries.back()[discrete[a]] = va;
          tries.back()[discrete[b]] = vb;
        }
  if (tries.empty()) return;
  Eigen::MatrixXd points(Index(tries.size()), landscape.space().size());
  for (std::size_t i = 0; i < tries.size(); ++i) points.row(Index(i)) = tries[i];
  const std::vector<Standing> found = landscape.at(points);
  for (std::size_t i = 0; i < found.size(); ++i)
    if (found[i].better_than(best.standing)) best = {tries[i], found[i]};
}

/// Steps as if they were none, then the nearest that can be set.
void relax_steps(const Landscape& landscape, Climber& best) {
  if (landscape.stepped().empty()) return;
  std::vector<Index> moving = landscape.continuous();
  moving.insert(moving.end(), landscape.stepped().begin(), landscape.stepped().end());
  Climber relaxed = best;
  follow_slopes(landscape, moving, relaxed);
  for (const Index j : landscape.stepped()) relaxed.point[j] = landscape.space()[j].snap(relaxed.point[j]);
  relaxed.standing = landscape.at(relaxed.point);
  follow_slopes(landscape, landscape.continuous(), relaxed);
  if (relaxed.standing.better_than(best.standing)) best = relaxed;
}

/// Subplex search (T. H. Rowan's, in NLopt), for what has no slopes: the last digits at a kink.
void search_without_slopes(const Landscape& landscape, int evaluations, Climber& best) {
  const auto n = unsigned(landscape.continuous().size());
  if (n == 0 || !std::isfinite(best.standing.value)) return;
  struct Call {
    const Landscape& landscape;
    Climber best;
    Eigen::VectorXd point;
  } call{landscape, best, best.point};
  std::vector<double> low(n), high(n), at(n), step(n);
  for (unsigned i = 0; i < n; ++i) {
    const Parameter& p = landscape.space()[landscape.continuous()[i]];
    low[i] = p.low;
    high[i] = p.high;
    at[i] = best.point[landscape.continuous()[i]];
    step[i] = 0.02 * (p.high - p.low);
  }
  nlopt::opt optimiser(nlopt::LN_SBPLX, n);
  optimiser.set_lower_bounds(low);
  optimiser.set_upper_bounds(high);
  optimiser.set_initial_step(step);
  optimiser.set_maxeval(evaluations * int(n));
  optimiser.set_xtol_rel(1e-9);
  optimiser.set_max_objective(
      [](unsigned size, const double* x, double*, void* data) {
        Call& c = *static_cast<Call*>(data);
        for (unsigned i = 0; i < size; ++i) c.point[c.landscape.continuous()[i]] = x[i];
        const Standing s = c.landscape.at(c.point);
        if (s.better_than(c.best.standing)) c.best = {c.point, s};
        if (s.violation > 0) return -1e30 - std::min(s.violation, 1e20);
        return std::isfinite(s.value) ? s.value : -1e30;
      },
      &call);
  try {
    double ignored = 0;
    optimiser.optimize(at, ignored);
  } catch (const std::exception&) {
    // Rounding stopped it; the best point is kept.
  }
  best = call.best;
}

}  // namespace

Climber climb(const Landscape& landscape, Climber best) {
  relax_steps(landscape, best);
  for (int round = 0; round < 20; ++round) {
    const Standing before = best.standing;
    follow_slopes(landscape, landscape.continuous(), best);
    if (landscape.discrete().empty()) break;
    exchange(landscape, best);
    if (!best.standing.better_than(before)) break;
  }
  return best;
}

void finish_at_kinks(const Landscape& landscape, Climber& best) {
  // A short look tells whether there is anything to be had.
  constexpr int few = 25, many = 100;
  const Standing before = best.standing;
  search_without_slopes(landscape, few, best);
  if (best.standing.violation == before.violation &&
      best.standing.value <= before.value + 1e-9 * std::abs(before.value))
    return;
  search_without_slopes(landscape, many, best);
  best = climb(landscape, best);
}

}  // namespace renth
