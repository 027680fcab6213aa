#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlopt.hpp>
#include <renth/base/error.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/predict/ascent.hpp>
#include <renth/search/maximise.hpp>
#include <renth/space/features.hpp>

namespace renth {
namespace {

constexpr double nothing = -std::numeric_limits<double>::infinity();

/// Which parameters may move, and how.
struct Moves {
  std::vector<Eigen::Index> continuous, discrete;
};

Moves moves_of(const Space& space, const MaximiseOptions& options) {
  Moves out;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    if (!options.hold.empty() && options.hold[j]) continue;
    const bool free = !space[j].is_discrete() || (!options.settable && space[j].is_between());
    (free ? out.continuous : out.discrete).push_back(j);
  }
  return out;
}

void check_holds(const Space& space, const MaximiseOptions& options) {
  for (Eigen::Index j = 0; j < space.size() && !options.hold.empty(); ++j) {
    if (!options.hold[j]) continue;
    const Parameter& p = space[j];
    const double value = *options.hold[j];
    if (p.is_choice() ? value >= 0 && value < static_cast<double>(p.choices.size())
                      : value >= p.low && value <= p.high) {
      if (!options.settable || std::abs(p.snap(value) - value) <= 1e-9 * std::abs(value)) continue;
      throw Error(fmt::format("{} cannot be held at {}", p.name, value), "hold",
                  fmt::format("the nearest value that can be set is {}", p.snap(value)));
    }
    throw Error(fmt::format("{} cannot be held at {}", p.name, value), "hold",
                fmt::format("its span is {} … {}", p.low, p.high));
  }
}

class Search {
 public:
  Search(const Space& space, const Merit& merit, const MaximiseOptions& options)
      : space_(space), merit_(merit), options_(options), moves_(moves_of(space, options)) {}

  double value(const Eigen::VectorXd& point) const {
    const double v = space_.allows(point) ? merit_(point.transpose())[0] : nothing;
    return std::isnan(v) ? nothing : v;
  }
  Eigen::VectorXd values(const Eigen::MatrixXd& points) const {
    Eigen::VectorXd out = Eigen::VectorXd::Constant(points.rows(), nothing);
    std::vector<Eigen::Index> allowed;
    for (Eigen::Index i = 0; i < points.rows(); ++i)
      if (space_.allows(points.row(i).transpose())) allowed.push_back(i);
    if (!allowed.empty()) out(allowed) = merit_(points(allowed, Eigen::all));
    for (double& v : out)
      if (std::isnan(v)) v = nothing;
    return out;
  }

  Maximum climb(Maximum best) const {
    for (int round = 0; round < 20; ++round) {
      const double before = best.value;
      subplex(best);
      exchange(best);
      if (!(best.value > before + 1e-12 * std::abs(before))) break;
    }
    polish(best);
    return best;
  }

 private:
  void subplex(Maximum& best) const {
    const auto n = static_cast<unsigned>(moves_.continuous.size());
    if (n == 0) return;
    struct Call {
      const Search& search;
      Maximum& best;
      Eigen::VectorXd point;
    } call{*this, best, best.point};
    std::vector<double> low(n), high(n), at(n), step(n);
    for (unsigned i = 0; i < n; ++i) {
      const Parameter& p = space_[moves_.continuous[i]];
      low[i] = p.low;
      high[i] = p.high;
      at[i] = best.point[moves_.continuous[i]];
      step[i] = 0.05 * (p.high - p.low);
    }
    nlopt::opt optimiser(nlopt::LN_SBPLX, n);
    optimiser.set_lower_bounds(low);
    optimiser.set_upper_bounds(high);
    optimiser.set_initial_step(step);
    optimiser.set_maxeval(400 * static_cast<int>(n));
    optimiser.set_xtol_rel(1e-9);
    optimiser.set_ftol_rel(1e-12);
    optimiser.set_max_objective(
        [](unsigned size, const double* x, double*, void* data) {
          Call& c = *static_cast<Call*>(data);
          for (unsigned i = 0; i < size; ++i) c.point[c.search.moves_.continuous[i]] = x[i];
          const double v = c.search.value(c.point);
          if (v > c.best.value) c.best = {c.point, v};
          return std::isfinite(v) ? v : -1e30;
        },
        &call);
    try {
      double ignored = 0;
      optimiser.optimize(at, ignored);
    } catch (const std::exception&) {
      // Rounding stopped it; the best point is kept.
    }
  }

  /// The last digits, which a search without slopes leaves.
  void polish(Maximum& best) const {
    const auto k = Eigen::Index(moves_.continuous.size());
    Eigen::VectorXd at(k), low(k), high(k);
    for (Eigen::Index i = 0; i < k; ++i) {
      const Eigen::Index j = moves_.continuous[std::size_t(i)];
      at[i] = best.point[j];
      low[i] = space_[j].low;
      high[i] = space_[j].high;
    }
    const auto whole = [&](const Eigen::MatrixXd& part) {
      Eigen::MatrixXd points = best.point.transpose().replicate(part.rows(), 1);
      for (Eigen::Index i = 0; i < k; ++i) points.col(moves_.continuous[std::size_t(i)]) = part.col(i);
      return points;
    };
    const AscentEnd end =
        ascend([&](const Eigen::MatrixXd& part) { return values(whole(part)); }, at, low, high);
    if (end.value > best.value) best = {whole(end.at.transpose()).row(0).transpose(), end.value};
  }

  /// All values of one discrete parameter, then neighbours of two at once.
  void exchange(Maximum& best) const {
    std::vector<Eigen::VectorXd> tries;
    for (const Eigen::Index j : moves_.discrete)
      for (const double v : candidates(j, best.point[j], 64)) {
        tries.push_back(best.point);
        tries.back()[j] = v;
      }
    for (std::size_t a = 0; a < moves_.discrete.size(); ++a)
      for (std::size_t b = 0; b < a; ++b)
        for (const double va : candidates(moves_.discrete[a], best.point[moves_.discrete[a]], 2))
          for (const double vb : candidates(moves_.discrete[b], best.point[moves_.discrete[b]], 2)) {
            tries.push_back(best.point);
            tries.back()[moves_.discrete[a]] = va;
            tries.back()[moves_.discrete[b]] = vb;
          }
    if (tries.empty()) return;
    Eigen::MatrixXd points(Eigen::Index(tries.size()), space_.size());
    for (std::size_t i = 0; i < tries.size(); ++i) points.row(Eigen::Index(i)) = tries[i];
    Eigen::Index at = 0;
    const double value = values(points).maxCoeff(&at);
    if (value > best.value) best = {tries[at], value};
  }

  /// The settable values of parameter j nearest to `value`, at most `most`, without `value`.
  std::vector<double> candidates(Eigen::Index j, double value, int most) const {
    const Parameter& p = space_[j];
    std::vector<double> out;
    for (int i = 0; i < p.settable_count(); ++i)
      if (p.settable(i) != value) out.push_back(p.settable(i));
    if (static_cast<int>(out.size()) > most && !p.is_choice()) {
      std::stable_sort(out.begin(), out.end(),
                       [&](double a, double b) { return std::abs(a - value) < std::abs(b - value); });
      out.resize(most);
    }
    return out;
  }

  const Space& space_;
  const Merit& merit_;
  const MaximiseOptions& options_;
  Moves moves_;
};

/// Every setting, if all is discrete and they are few; else an even sample of the region.
Eigen::MatrixXd first_points(const Space& space, const MaximiseOptions& options, const Moves& moves,
                             Seed seed) {
  const Eigen::VectorXd nominal = space.nominal();
  const auto held = [&](Eigen::VectorXd point) {
    for (Eigen::Index j = 0; j < space.size() && !options.hold.empty(); ++j)
      if (options.hold[j]) point[j] = *options.hold[j];
    return point;
  };
  double settings = moves.continuous.empty() ? 1 : 1e300;
  for (const Eigen::Index j : moves.discrete) settings *= space[j].settable_count();
  if (settings <= std::max(20'000, options.samples)) {
    Eigen::MatrixXd all(static_cast<Eigen::Index>(settings), space.size());
    for (Eigen::Index i = 0; i < all.rows(); ++i) {
      Eigen::VectorXd point = held(nominal);
      Eigen::Index rest = i;
      for (const Eigen::Index j : moves.discrete) {
        const int count = space[j].settable_count();
        point[j] = space[j].settable(static_cast<int>(rest % count));
        rest /= count;
      }
      all.row(i) = point;
    }
    return all;
  }
  // Thin regions need more points to hit; stop as soon as enough are allowed.
  std::vector<Eigen::VectorXd> found;
  const Eigen::Index chunk = options.samples;
  for (std::uint64_t at = 0; at < 4'000'000 && static_cast<int>(found.size()) < options.samples;
       at += chunk) {
    const Eigen::MatrixXd unit = scrambled_sobol_points(chunk, space.size(), seed, "search", at);
    for (Eigen::Index i = 0; i < unit.rows(); ++i) {
      Eigen::VectorXd point(space.size());
      for (Eigen::Index j = 0; j < space.size(); ++j)
        point[j] = space.from_unit(j, unit(i, j), options.settable);
      point = held(std::move(point));
      if (space.allows(point)) found.push_back(std::move(point));
    }
  }
  Eigen::MatrixXd out(Eigen::Index(found.size()), space.size());
  for (std::size_t i = 0; i < found.size(); ++i) out.row(Eigen::Index(i)) = found[i];
  return out;
}

}  // namespace

std::vector<Maximum> maximise(const Space& space, const Merit& merit, const MaximiseOptions& options,
                              Seed seed) {
  check_holds(space, options);
  const Search search(space, merit, options);
  const Eigen::MatrixXd points = first_points(space, options, moves_of(space, options), seed);
  const Eigen::VectorXd values = points.rows() > 0 ? search.values(points) : Eigen::VectorXd();
  std::vector<Eigen::Index> order;
  for (Eigen::Index i = 0; i < points.rows(); ++i)
    if (values[i] > nothing) order.push_back(i);
  if (order.empty())
    throw Error("the limits and holds leave no setting at all", "search", "loosen a limit, or hold less");
  std::stable_sort(order.begin(), order.end(),
                   [&](Eigen::Index a, Eigen::Index b) { return values[a] > values[b]; });

  // The best points, no two closer than a tenth of the cube's edge.
  const Eigen::MatrixXd f = features(space, points);
  std::vector<Eigen::Index> starts;
  for (const Eigen::Index i : order) {
    const bool close = std::any_of(starts.begin(), starts.end(),
                                   [&](Eigen::Index s) { return (f.row(i) - f.row(s)).norm() < 0.1; });
    if (!close) starts.push_back(i);
    if (static_cast<int>(starts.size()) >= options.starts) break;
  }
  std::vector<Maximum> ends(starts.size());
  parallel_for(static_cast<std::int64_t>(starts.size()), [&](std::int64_t s) {
    ends[s] = search.climb({points.row(starts[s]).transpose(), values[starts[s]]});
  });
  std::stable_sort(ends.begin(), ends.end(),
                   [](const Maximum& a, const Maximum& b) { return a.value > b.value; });
  return ends;
}

}  // namespace renth
