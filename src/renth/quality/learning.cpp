#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/fit/blocks.hpp>
#include <renth/fit/fit.hpp>
#include <renth/fit/replicates.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/quality/learning.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;
constexpr double no_q2 = std::numeric_limits<double>::quiet_NaN();

/// Of those that are there.
double mean_square(const Eigen::VectorXd& v) {
  double sum = 0;
  int count = 0;
  for (const double e : v)
    if (std::isfinite(e)) sum += e * e, ++count;
  return sum / count;
}

/// Σ (y − ŷ)² over the rows left out against Σ (y − ȳ)² a row of all; NaN if the subset cannot be fitted.
double q2_of_subset(const Space& space, const Data& data, const Fit& fit, const std::vector<Index>& in,
                    const std::vector<Index>& out, Seed seed) {
  try {
    const Data fitted_to = data.rows(in), left_out = data.rows(out);
    const auto fitted = fit(space, fitted_to, seed);
    const Eigen::MatrixXd mean =
        with_block_effects(*fitted, space, fitted_to, left_out, fitted->predict(left_out.inputs).mean);
    const Eigen::MatrixXd centred = data.outputs - block_means(data);
    double error = 0, total = 0;
    for (Index k = 0; k < data.outputs.cols(); ++k) {
      const double variance = mean_square(centred.col(k));
      for (std::size_t r = 0; r < out.size(); ++r) {
        const double e = left_out.outputs(Index(r), k) - mean(Index(r), k);
        if (!std::isfinite(e)) continue;
        error += e * e;
        total += variance;
      }
    }
    return total > 0 ? 1 - error / total : no_q2;
  } catch (const Error&) {
    return no_q2;
  }
}

/// b of ln(reachable − Q²) = a − b ln m by least squares; NaN from fewer than three points.
double rate_of(const std::vector<std::pair<double, double>>& points, double reachable) {
  double n = 0, x = 0, y = 0, xx = 0, xy = 0;
  for (const auto& [runs, q2] : points) {
    const double left = reachable - q2;
    if (!(left > 1e-12)) continue;
    const double lx = std::log(runs), ly = std::log(left);
    n += 1, x += lx, y += ly, xx += lx * lx, xy += lx * ly;
  }
  return n < 3 ? no_q2 : -(n * xy - x * y) / (n * xx - x * x);
}

double quantile(std::vector<double> v, double p) {
  std::sort(v.begin(), v.end());
  return v[std::size_t(std::clamp<double>(std::round(p * double(v.size() - 1)), 0, double(v.size() - 1)))];
}

/// Q² of subsets of each size, `repeats` of each: those of one repeat are nested.
std::vector<double> q2_of_subsets(const Space& space, const Data& data, const Fit& fit,
                                  const std::vector<int>& sizes, int repeats, Seed seed) {
  const std::vector<int> group = replicate_groups(data);
  const int groups = group_count(group);
  std::vector<double> found(sizes.size() * std::size_t(repeats));
  parallel_for(std::int64_t(found.size()), [&](std::int64_t k) {
    const int size = sizes[std::size_t(k) / std::size_t(repeats)];
    // The subsets of one repeat are nested: the first so many of one order.
    const std::vector<int> order = Stream(seed, "learning", std::uint64_t(k % repeats)).permutation(groups);
    std::vector<char> used(std::size_t(groups), 0);
    for (int i = 0; i < size; ++i) used[std::size_t(order[std::size_t(i)])] = 1;
    std::vector<Index> in, rest;
    for (std::size_t i = 0; i < group.size(); ++i)
      (used[std::size_t(group[i])] ? in : rest).push_back(Index(i));
    found[std::size_t(k)] = q2_of_subset(space, data, fit, in, rest, seed);
  });
  return found;
}

/// How many runs the law needs, with the interval that the repeats give.
void foretell(std::vector<std::vector<std::pair<double, double>>>& laws, int groups, double q2,
              LearningCurve& out) {
  // The law is made to pass through what all runs reach.
  const auto needed = [&](double rate) {
    return groups * std::pow((out.reachable - q2) / (out.reachable - out.target), 1 / rate);
  };
  const double likely = needed(out.rate);
  std::vector<double> rates;
  for (auto& law : laws) {
    law.emplace_back(groups, q2);
    const double rate = rate_of(law, out.reachable);
    if (std::isfinite(rate)) rates.push_back(std::max(rate, 0.02));
  }
  const double fewest = rates.empty() ? likely : std::min(likely, needed(quantile(rates, 0.9)));
  const double most = rates.empty() ? INFINITY : std::max(likely, needed(quantile(rates, 0.1)));
  if (!(likely < 20.0 * groups)) {
    out.sentence = fmt::format(
        "at this rate Q² {:.3g} would need more than twenty times the {} runs there are", out.target, groups);
    return;
  }
  out.runs_needed = int(std::ceil(likely));
  out.low = std::max(groups + 1, int(std::ceil(fewest)));
  if (most < 50.0 * groups) out.high = int(std::ceil(most));
  out.sentence =
      fmt::format("about {} more runs would likely reach Q² {:.3g} ({} to {})", *out.runs_needed - groups,
                  out.target, *out.low - groups, out.high ? std::to_string(*out.high - groups) : "far more");
}

}  // namespace

double LearningCurve::q2_at(double runs) const {
  const LearningPoint& all = points.back();
  return reachable - (reachable - all.q2) * std::pow(all.runs / runs, rate);
}

LearningCurve learning_curve(const Space& space, const Data& data, const Fit& fit, double q2,
                             const LearningOptions& options, Seed seed) {
  LearningCurve out;
  out.reachable = options.reachable;
  out.target = options.target * options.reachable;
  out.rate = no_q2;
  const std::vector<int> group = replicate_groups(data);
  const int groups = group_count(group);
  if (groups < 12) {
    out.sentence = fmt::format("{} different runs are too few to say how it gets better with more", groups);
    return out;
  }
  std::vector<int> sizes;
  for (const double share : options.shares) sizes.push_back(std::max(4, int(std::lround(share * groups))));
  const int repeats = options.repeats;
  const std::vector<double> found = q2_of_subsets(space, data, fit, sizes, repeats, seed);
  std::vector<std::vector<std::pair<double, double>>> laws(static_cast<std::size_t>(repeats));
  std::vector<std::pair<double, double>> middle;
  for (std::size_t s = 0; s < sizes.size(); ++s) {
    std::vector<double> here;
    for (int r = 0; r < repeats; ++r) {
      const double value = found[s * std::size_t(repeats) + std::size_t(r)];
      if (!std::isfinite(value)) continue;
      here.push_back(value);
      laws[std::size_t(r)].emplace_back(sizes[s], value);
    }
    if (here.empty()) continue;
    out.points.push_back({sizes[s], quantile(here, 0.5), quantile(here, 0.1), quantile(here, 0.9)});
    middle.emplace_back(sizes[s], out.points.back().q2);
  }
  out.points.push_back({groups, q2, q2, q2});
  middle.emplace_back(groups, q2);
  const double target = out.target;
  out.rate = rate_of(middle, options.reachable);
  if (q2 >= target) {
    out.sentence = fmt::format("the target Q² {:.3g} is reached with the {} runs there are", target, groups);
    return out;
  }
  if (!(out.rate > 0.1)) {
    out.sentence = std::isfinite(out.rate)
                       ? "more runs have hardly helped so far: these runs do not show how many would, or the "
                         "response depends on something that is not varied"
                       : "too few subsets could be fitted to say how it gets better with more runs";
    return out;
  }
  foretell(laws, groups, q2, out);
  return out;
}

}  // namespace renth
