#include <algorithm>
#include <cmath>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/tolerance/tolerance.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Of one fitted response: its means at the points and what makes its errors, one output after another. The
/// errors of a curve go together all along it.
struct Source {
  Eigen::MatrixXd mean;
  std::vector<Eigen::MatrixXd> roots;
};

/// By how much a surrogate's own deviations are too small, as cross-validation saw it: the ratio of
/// calibrated intervals to its own in the middle of some points, at least 1.
double too_sure(const Model::Part& part, Points x, Index output) {
  constexpr Index most = 64;
  constexpr double level = 0.9, z = 1.6448536269514722;
  const Eigen::MatrixXd some = x.topRows(std::min(most, x.rows()));
  const FoldModels::Bounds bounds = part.folds.calibrated(some, output, level);
  if (bounds.low.size() == 0) return 1;
  const Prediction p = part.surrogate->predict(some, {.variance = true});
  std::vector<double> ratios;
  for (Index i = 0; i < some.rows(); ++i) {
    const double sd = std::sqrt(p.model_variance(i, output) + p.noise_variance(i, output));
    if (sd > 0) ratios.push_back(0.5 * (bounds.high[i] - bounds.low[i]) / (z * sd));
  }
  if (ratios.empty()) return 1;
  std::nth_element(ratios.begin(), ratios.begin() + std::ptrdiff_t(ratios.size() / 2), ratios.end());
  return std::max(1.0, ratios[ratios.size() / 2]);
}

Source source_of(const Model::Part& part, const Eigen::MatrixXd& x, double& missing) {
  Source out{part.surrogate->predict(x).mean, {}};
  bool none = false;
  for (Index q = 0; q < out.mean.cols(); ++q) {
    const Eigen::MatrixXd covariance = part.surrogate->covariance(x, q);
    if (covariance.allFinite()) {
      out.roots.push_back(too_sure(part, x, q) * covariance_root(covariance));
    } else {
      out.roots.push_back(Eigen::MatrixXd::Zero(x.rows(), x.rows()));
      none = true;
    }
  }
  missing += none ? 1 : 0;
  return out;
}

}  // namespace

Estimate yield_with_surrogate_error(const Specification& specification, const ToleranceSample& sample,
                                    const Estimate& yield, double level, Seed seed, double& missing) {
  constexpr Index most = 384;
  constexpr int draws = 200;
  missing = 0;
  std::vector<Index> rows;
  const Index n = std::min(most, sample.size());
  for (Index i = 0; i < n; ++i) rows.push_back(i * sample.size() / n);
  const Eigen::MatrixXd x = sample.points(rows, Eigen::all);
  const Model& model = specification.predictor().model();
  std::vector<Source> sources;
  for (const int s : specification.sources())
    sources.push_back(source_of(*model.parts[std::size_t(s)], x, missing));
  std::vector<Eigen::MatrixXd> values;
  for (const Source& s : sources) values.push_back(s.mean);
  const double plain = share_passing(specification.of(x, values).margins);
  std::vector<double> change(draws);
  parallel_for(draws, [&](std::int64_t d) {
    std::vector<Eigen::MatrixXd> drawn;
    for (std::size_t s = 0; s < sources.size(); ++s) {
      Stream stream(seed, "surrogate error", std::uint64_t(d) * sources.size() + s);
      Eigen::VectorXd z(x.rows());
      for (Index i = 0; i < z.size(); ++i) z[i] = stream.normal();
      drawn.push_back(sources[s].mean);
      for (std::size_t q = 0; q < sources[s].roots.size(); ++q)
        drawn.back().col(Index(q)) += sources[s].roots[q] * z;
    }
    change[std::size_t(d)] = share_passing(specification.of(x, drawn).margins) - plain;
  });
  std::sort(change.begin(), change.end());
  const auto quantile = [&](double p) { return change[std::size_t(p * (draws - 1) + 0.5)]; };
  const double low = quantile(0.5 - 0.5 * level), high = quantile(0.5 + 0.5 * level);
  const double middle = yield.value + quantile(0.5);
  return {yield.value, std::max(0.0, middle - std::hypot(quantile(0.5) - low, yield.value - yield.low)),
          std::min(1.0, middle + std::hypot(high - quantile(0.5), yield.high - yield.value))};
}

}  // namespace renth
