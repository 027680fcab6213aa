#include <cmath>
#include <renth/base/error.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/tolerance/tolerance.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Does the new scatter lie where the old one was drawn?
bool covered(const Parameter& before, const Parameter& after, double at) {
  using Shape = Scatter::Shape;
  if (after.scatter.shape == Shape::shares) {
    for (std::size_t i = 0; i < after.scatter.values.size(); ++i)
      if (after.scatter.values[i] > 0 && !(before.scatter.values[i] > 0)) return false;
    return true;
  }
  if (before.scatter.shape == Shape::normal || before.scatter.shape == Shape::lognormal) return true;
  const ScatterEnds was = scatter_ends(before, at), is = scatter_ends(after, at);
  const bool endless = after.scatter.shape == Shape::normal || after.scatter.shape == Shape::lognormal;
  return !endless && is.low >= was.low && is.high <= was.high;
}

bool same(const Scatter& a, const Scatter& b) {
  return a.shape == b.shape && a.size == b.size && a.relative == b.relative && a.values == b.values;
}

/// How much likelier each draw of one parameter is now: the weights times that.
void weigh(const Parameter& before, const Parameter& after, double at,
           const Eigen::Ref<const Eigen::VectorXd>& x, Eigen::VectorXd& weights) {
  using Shape = Scatter::Shape;
  if (before.scatter.shape == Shape::normal && after.scatter.shape == Shape::normal) {
    const double was = scatter_quantile(before, at, normal_cdf(1)) - at,
                 is = scatter_quantile(after, at, normal_cdf(1)) - at;
    const double rate = 0.5 / (was * was) - 0.5 / (is * is);
    weights.array() *= was / is * (rate * (x.array() - at).square()).exp();
    return;
  }
  for (Index i = 0; i < x.size(); ++i) {
    const double w = scatter_density(after, at, x[i]) / scatter_density(before, at, x[i]);
    weights[i] *= std::isfinite(w) ? w : 0;
  }
}

/// Are scalar responses of one draw within other limits?
bool accepted(const ToleranceSample& sample, const Specification& specification,
              const std::vector<Accept>& accept, Index i) {
  if (accept.empty()) return sample.passes(i);
  for (std::size_t k = 0; k < specification.responses().size(); ++k) {
    const Accept& a = accept[std::size_t(specification.responses()[k])];
    if (!a.any()) continue;
    const double v = sample.responses(i, Index(k));
    if (std::isnan(v) || !a.holds(v)) return false;
  }
  for (std::size_t l = 0; l < specification.limits().size(); ++l)
    if (specification.limits()[l].response < 0 && !(sample.margins(i, Index(l)) >= 0)) return false;
  return true;
}

}  // namespace

WhatIf what_if(const ToleranceSample& sample, const Specification& specification, const Space& before,
               const Space& after, const std::vector<Accept>& accept, double level) {
  const Problem& problem = specification.predictor().problem();
  for (std::size_t k = 0; k < accept.size(); ++k)
    if (accept[k].any() && problem.responses[k].is_curve())
      throw Error("a limit along an axis is not in the sample", problem.responses[k].name, "draw afresh");
  WhatIf out;
  out.sound = true;
  std::vector<Index> changed;
  for (Index j = 0; j < before.size(); ++j) {
    if (same(before[j].scatter, after[j].scatter)) continue;
    using Shape = Scatter::Shape;
    for (const Scatter::Shape s : {before[j].scatter.shape, after[j].scatter.shape})
      if (s == Shape::measured || s == Shape::none)
        throw Error(before[j].name + " has no density to weight by", "what if", "draw afresh");
    if (!before.correlations().empty())
      throw Error("correlated scatter cannot be weighted", "what if", "draw afresh");
    changed.push_back(j);
    out.sound = out.sound && covered(before[j], after[j], sample.at[j]);
  }
  double sum = 0, square = 0, hits = 0, error = 0;
  Eigen::VectorXd weights = Eigen::VectorXd::Ones(sample.size());
  for (const Index j : changed) weigh(before[j], after[j], sample.at[j], sample.points.col(j), weights);
  std::vector<char> pass(std::size_t(sample.size()));
  for (Index i = 0; i < sample.size(); ++i) {
    pass[std::size_t(i)] = accepted(sample, specification, accept, i);
    sum += weights[i];
    square += weights[i] * weights[i];
    hits += pass[std::size_t(i)] ? weights[i] : 0;
  }
  if (!(sum > 0)) return {{NAN, NAN, NAN}, 0, false};
  const double p = hits / sum, n = double(sample.size());
  out.effective = sum * sum / (square * n);
  for (Index i = 0; i < sample.size(); ++i) {
    const double d = weights[i] * ((pass[std::size_t(i)] ? 1 : 0) - p);
    error += d * d;
  }
  const double half = normal_quantile(0.5 + 0.5 * level) * std::sqrt(error) / sum;
  const Estimate wilson = share_of_independent(p * n * out.effective, n * out.effective, level);
  out.yield = half > 0 ? Estimate{p, std::max(0.0, p - half), std::min(1.0, p + half)} : wilson;
  constexpr double enough = 1.0 / 3;
  out.sound = out.sound && out.effective >= enough;
  return out;
}

}  // namespace renth
