#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/numeric/sobol_sequence.hpp>
#include <renth/sensitivity/rank.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {
namespace {

/// Everything estimated, in one vector: share, first, total a parameter, then pairs, then shares at each
/// output.
Eigen::VectorXd flatten(const VarianceShares& s) {
  const auto d = static_cast<Eigen::Index>(s.parameters.size());
  Eigen::VectorXd out(3 * d + d * (d - 1) / 2 + s.along.size());
  Eigen::Index at = 0;
  for (const Share& p : s.parameters) {
    out[at++] = p.share;
    out[at++] = p.first;
    out[at++] = p.total;
  }
  for (Eigen::Index i = 0; i < d; ++i)
    for (Eigen::Index j = i + 1; j < d; ++j) out[at++] = s.pairs(i, j);
  for (const double share : s.along.reshaped()) out[at++] = share;
  return out;
}

/// Does the mean response rise, fall, or both, as one parameter goes through its range?
std::string direction(const Space& space, const Evaluate& whole, Eigen::Index j, const FromUnit& inputs,
                      bool cut, Seed seed) {
  if (space[j].is_choice()) return "mixed";
  constexpr int steps = 11, averaged = 512;
  Eigen::MatrixXd base;
  if (cut) {
    base = sample_region(space, averaged, Values::physical, seed, "direction");
  } else {
    base = scrambled_sobol_points(averaged, space.size(), seed, "direction");
    for (Eigen::Index k = 0; k < space.size(); ++k)
      for (double& u : base.col(k)) u = inputs(k, u);
  }
  std::vector<double> curve;
  for (int s = 0; s < steps; ++s) {
    std::vector<Eigen::Index> kept;
    Eigen::MatrixXd x = base;
    x.col(j).setConstant(inputs(j, (s + 0.5) / steps));
    for (Eigen::Index i = 0; i < x.rows(); ++i)
      if (!cut || space.allows(x.row(i).transpose())) kept.push_back(i);
    if (kept.empty()) continue;
    curve.push_back(whole(x(kept, Eigen::all)).mean());
  }
  return direction_of(curve);
}

constexpr int fold_replicates = 2;  // folds are asked at the points of the first two only

/// All shares in a row, with the variance of their errors.
struct Estimates {
  Eigen::VectorXd mean, variance;
  double df = 0;
};

/// \param all  by replicate: the whole model's shares, then of the first two each fold's.
Estimates estimates(const std::vector<std::vector<VarianceShares>>& all, Eigen::Index k,
                    const RankOptions& options, double& response_variance) {
  const auto replicates = static_cast<int>(all.size());
  const Eigen::Index size = flatten(all[0][0]).size();
  Eigen::MatrixXd whole_values(size, replicates), fold_values = Eigen::MatrixXd::Zero(size, k);
  for (int r = 0; r < replicates; ++r) {
    whole_values.col(r) = flatten(all[r][0]);
    response_variance += all[r][0].variance / replicates;
  }
  for (Eigen::Index f = 0; f < k; ++f)
    for (int r = 0; r < fold_replicates; ++r) fold_values.col(f) += flatten(all[r][f + 1]) / fold_replicates;
  const Eigen::VectorXd mean = whole_values.rowwise().mean();
  Eigen::VectorXd variance =
      (whole_values.colwise() - mean).rowwise().squaredNorm() / (replicates * (replicates - 1.0));
  double df = replicates - 1;
  if (k > 1) {
    const Eigen::VectorXd centre = fold_values.rowwise().mean();
    const double in_all = std::max<double>(double(k), options.all_folds);
    variance += (fold_values.colwise() - centre).rowwise().squaredNorm() * ((in_all - 1) / double(k));
    df = static_cast<double>(k - 1);
  }
  return {mean, variance, df};
}

/// Widens an interval of a share by what may be of the parameter in what the surrogate misses, m of the
/// variance, and in the noise of the runs, ν of the variance in their mean.
///
/// f = s + e: the variance of E[f|x_j] is that of E[s|x_j] and E[e|x_j] and twice their covariance. Of e
/// nothing is known; if it is as likely to depend on one parameter as on another, or on several at once,
/// E[e|x_j] has m/(d + 1) of the variance (`part`), as an exponential is spread (95 % below three times
/// that), and, wavy in some three ways, a squared correlation of a third with E[s|x_j]. An effect that noise
/// hides is smaller than its standard error times the width.
void hold_what_is_missed(const RankOptions& options, double part, double width, double variance,
                         bool left_out, double share, double& low, double& high) {
  const double m = std::clamp(options.missed, 0.0, 1.0), nu = options.noise;
  const double captured = share * (1 - m);
  const double half = width * std::sqrt(std::max(variance, 4.0 / 3 * captured * (part + nu)));
  // What is missed is a mean of squared errors: its relative error is √(2/n), half as much again for their
  // tails, and in one case of ten it lies beyond 1.28 of those.
  const double more = options.runs > 0 ? 1 + 1.28 * 1.5 * std::sqrt(2.0 / options.runs) : 1;
  const double hidden = -std::log(1 - options.level) * more * part + width * width * nu;
  low = std::clamp(captured - half, 0.0, low);
  high = std::clamp(share + std::max(half, hidden), high, 1.0);
  if (left_out) high = std::clamp(more * m, high, 1.0);
}

}  // namespace

void tell_what_is_missed(const Surrogate& surrogate, const Data& data, double q2, RankOptions& options) {
  options.missed = 1;
  options.noise = 0;
  options.runs = int(data.size());
  if (!std::isfinite(q2)) return;
  // The mean noise needs no more points than these, spread over the runs.
  constexpr Eigen::Index most_asked = 256;
  const Eigen::Index asked = std::min(most_asked, data.size());
  std::vector<Eigen::Index> spread;
  for (Eigen::Index i = 0; i < asked; ++i) spread.push_back(i * data.size() / asked);
  const Eigen::RowVectorXd of_noise =
      surrogate.predict(data.inputs(spread, Eigen::all), {.variance = true}).noise_variance.colwise().mean();
  double noise = 0, all = 0;
  for (Eigen::Index k = 0; k < data.outputs.cols(); ++k) {
    std::vector<Eigen::Index> there;
    for (Eigen::Index i = 0; i < data.size(); ++i)
      if (std::isfinite(data.outputs(i, k))) there.push_back(i);
    const Eigen::VectorXd y = data.outputs(there, k);
    if (there.size() < 2 || !std::isfinite(of_noise[k])) continue;
    noise += of_noise[k];
    all += (y.array() - y.mean()).square().sum() / double(there.size() - 1);
  }
  constexpr double least = 0.05;  // of the variance is taken to be more than noise
  const double reachable = all > 0 ? std::clamp(1 - noise / all, least, 1.0) : 1;
  options.missed = std::clamp(1 - q2 / reachable, 0.0, 1.0);
  options.noise = (1 - reachable) / reachable / double(data.size());
}

Ranking rank_parameters(const Space& space, const Evaluate& whole, const std::vector<Evaluate>& folds,
                        const RankOptions& options, Seed seed) {
  const Eigen::Index d = space.size();
  // A limit that nothing in the box violates does not cut it.
  const bool cut = !options.inputs && feasible_share(space, seed) < 1;
  const FromUnit inputs = options.inputs ? options.inputs : over_the_box(space);
  const int replicates = std::max(2, options.replicates);
  const auto k = static_cast<Eigen::Index>(folds.size());
  std::vector<std::vector<VarianceShares>> all(
      static_cast<std::size_t>(replicates));  // by replicate: whole, then folds
  const bool exact = !cut && options.exact.size() == folds.size() + 1;
  if (exact) std::fill(all.begin(), all.end(), options.exact);
  parallel_for(exact ? 0 : replicates, [&](std::int64_t r) {
    std::vector<Evaluate> models = {whole};
    if (r < fold_replicates) models.insert(models.end(), folds.begin(), folds.end());
    all[r] = cut ? shapley_effects(space, models, options.samples, seed, static_cast<int>(r))
                 : sobol_indices(space, models, options.samples, seed, static_cast<int>(r), inputs);
  });

  Ranking out;
  out.variance = 0;
  const Estimates of = estimates(all, k, options, out.variance);
  const Eigen::VectorXd &mean = of.mean, &variance = of.variance;
  const double width = student_t_width(options.level, of.df);
  const auto bounded = [](double x) { return std::isnan(x) ? x : std::clamp(x, 0.0, 1.0); };
  const auto interval = [&](Eigen::Index at, double& value, double& low, double& high) {
    const double half = width * std::sqrt(variance[at]);
    value = bounded(mean[at]);
    low = std::min(value, bounded(mean[at] - half));
    high = std::max(value, bounded(mean[at] + half));
  };

  out.method = cut ? "shapley" : "sobol";
  double explained = 0;
  for (Eigen::Index j = 0; j < d; ++j) {
    RankedParameter p;
    p.parameter = j;
    const bool left_out = std::count(options.left_out.begin(), options.left_out.end(), j) > 0;
    const double part = std::clamp(options.missed, 0.0, 1.0) / double(d + 1);
    interval(3 * j, p.share, p.low, p.high);
    hold_what_is_missed(options, part, width, variance[3 * j], left_out, p.share, p.low, p.high);
    p.first = bounded(mean[3 * j + 1]);
    p.total = bounded(mean[3 * j + 2]);
    if (!cut) {
      interval(3 * j + 2, p.total, p.total_low, p.total_high);
      // What interacts belongs to two parameters at least.
      hold_what_is_missed(options, 2 * part, width, variance[3 * j + 2], left_out, p.total, p.total_low,
                          p.total_high);
    }
    explained += p.share;
    for (Eigen::Index at = 3 * d + d * (d - 1) / 2 + j; at < mean.size(); at += d) {
      BoundedShare one;
      interval(at, one.share, one.low, one.high);
      hold_what_is_missed(options, part, width, variance[at], left_out, one.share, one.low, one.high);
      p.along.push_back(one);
    }
    out.parameters.push_back(p);
  }
  parallel_for(d, [&](std::int64_t j) {
    RankedParameter& p = out.parameters[std::size_t(j)];
    const double effect = cut ? p.share : p.total;
    p.direction = effect < 0.002 ? "none" : direction(space, whole, j, inputs, cut, seed);
  });
  if (!cut) {
    Eigen::Index at = 3 * d;
    for (Eigen::Index i = 0; i < d; ++i)
      for (Eigen::Index j = i + 1; j < d; ++j) {
        RankedPair pair{i, j, 0, 0, 0};
        interval(at++, pair.share, pair.low, pair.high);
        explained += pair.share;
        out.interactions.push_back(pair);
      }
    out.unexplained = std::max(0.0, 1 - explained);
  }
  std::stable_sort(out.parameters.begin(), out.parameters.end(),
                   [](const auto& a, const auto& b) { return a.share > b.share; });
  std::stable_sort(out.interactions.begin(), out.interactions.end(),
                   [](const auto& a, const auto& b) { return a.share > b.share; });
  return out;
}

}  // namespace renth
