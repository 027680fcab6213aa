#include <algorithm>
#include <cmath>
#include <numeric>
#include <renth/numeric/distributions.hpp>
#include <renth/tolerance/tolerance.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// The first draws of every part.
ToleranceSample thinned(const ToleranceSample& sample, Index most) {
  const Index each = sample.size() / sample.parts,
              kept = std::max<Index>(1, std::min(each, most / sample.parts));
  if (kept == each) return sample;
  std::vector<Index> rows;
  for (Index part = 0; part < sample.parts; ++part)
    for (Index i = 0; i < kept; ++i) rows.push_back(part * each + i);
  ToleranceSample out;
  out.method = sample.method;
  out.at = sample.at;
  out.parts = sample.parts;
  out.units = sample.units(rows, Eigen::all);
  out.points = sample.points(rows, Eigen::all);
  out.responses = sample.responses(rows, Eigen::all);
  out.margins = sample.margins(rows, Eigen::all);
  return out;
}

/// Settings and margins of the same draws with one parameter's scatter so many times as wide; 0: held
/// exactly.
ToleranceSample with_factor(const ScatterDraw& draw, const Specification& specification,
                            const ToleranceSample& sample, Index k, double factor) {
  ToleranceSample out;
  out.method = sample.method;
  out.at = sample.at;
  out.parts = sample.parts;
  Eigen::VectorXd factors = Eigen::VectorXd::Ones(draw.dimensions());
  factors[k] = factor;
  if (factor > 0) {
    out.points = draw.around(sample.at.transpose(), sample.units.leftCols(draw.dimensions()), factors);
  } else {
    const Index j = draw.parameters()[std::size_t(k)];
    out.points = sample.points;
    out.points.col(j).setConstant(sample.at[j]);
  }
  out.margins =
      specification.at(out.points, normal_scores(sample.units.rightCols(specification.noise()))).margins;
  return out;
}

double share_in(const ToleranceSample& sample) {
  return sample.hits().sum() / double(sample.size());
}

/// The mean of differences of passing, draw by draw, with the error by parts or as if independent.
Estimate gained(const ToleranceSample& before, const ToleranceSample& after, double level) {
  const Eigen::VectorXd difference = after.hits() - before.hits();
  const double n = double(before.size()), mean = difference.sum() / n;
  double square = 0;
  for (Index i = 0; i < before.size(); ++i) {
    const double d = double(after.passes(i)) - double(before.passes(i));
    square += (d - mean) * (d - mean);
  }
  double half = normal_quantile(0.5 + 0.5 * level) * std::sqrt(square) / n;
  if (before.parts > 1) {
    const double parts = double(before.parts), each = n / parts;
    const double sd = std::sqrt((difference.array() / each - mean).square().sum() / (parts - 1));
    half = std::min(half, student_t_width(level, parts - 1) * sd / std::sqrt(parts));
  }
  // Of a difference that no draw shows something may still be there.
  half = std::max(half, 3 / n);
  return {mean, mean - half, mean + half};
}

/// How much wider one parameter's scatter may be until a hundredth of the yield is lost.
std::optional<double> slack_of(const ScatterDraw& draw, const Specification& specification,
                               const ToleranceSample& sample, Index k) {
  constexpr double loss = 0.01, most = 100;
  const double wanted = share_in(sample) - loss;
  const auto lost = [&](double factor) {
    return share_in(with_factor(draw, specification, sample, k, factor)) < wanted;
  };
  double low = 1, high = 1.25;
  while (!lost(high)) {
    low = high;
    if (high >= most) return std::nullopt;
    high = std::min(most, high * (high < 2 ? 1.25 : 2));
  }
  for (int i = 0; i < 9; ++i) {
    const double middle = std::sqrt(low * high);
    (lost(middle) ? high : low) = middle;
  }
  return std::sqrt(low * high);
}

}  // namespace

std::vector<ParameterCost::Bin> yield_by_value(const ToleranceSample& sample, Index j, double level) {
  constexpr std::size_t count = 12;
  std::vector<Index> order(std::size_t(sample.size()));
  std::iota(order.begin(), order.end(), Index(0));
  const auto x = sample.points.col(j);
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return x[a] < x[b]; });
  std::vector<std::size_t> begins;
  std::vector<double> values;
  for (const Index i : order)
    if (values.empty() || x[i] != values.back()) values.push_back(x[i]);
  if (values.size() <= count) {
    for (std::size_t i = 0; i < order.size(); ++i)
      if (i == 0 || x[order[i]] != x[order[i - 1]]) begins.push_back(i);
  } else {
    for (std::size_t b = 0; b < count; ++b) begins.push_back(b * order.size() / count);
  }
  begins.push_back(order.size());
  std::vector<ParameterCost::Bin> out;
  for (std::size_t b = 0; b + 1 < begins.size(); ++b) {
    double hits = 0;
    for (std::size_t i = begins[b]; i < begins[b + 1]; ++i) hits += sample.passes(order[i]) ? 1 : 0;
    const double to = begins[b + 1] < order.size() && values.size() > count ? x[order[begins[b + 1]]]
                                                                            : x[order[begins[b + 1] - 1]];
    out.push_back(
        {x[order[begins[b]]], to, share_of_independent(hits, double(begins[b + 1] - begins[b]), level)});
  }
  return out;
}

std::vector<ParameterCost> parameter_costs(const ScatterDraw& draw, const Specification& specification,
                                           const ToleranceSample& sample, double level) {
  // A slack asks the surrogates a dozen times.
  constexpr Index for_costs = 65'536, for_slack = 8'192;
  const ToleranceSample costs = thinned(sample, for_costs), slack = thinned(sample, for_slack);
  std::vector<ParameterCost> out;
  for (Index k = 0; k < draw.dimensions(); ++k) {
    ParameterCost one;
    one.parameter = draw.parameters()[std::size_t(k)];
    one.cost = gained(costs, with_factor(draw, specification, costs, k, 0), level);
    one.slack = slack_of(draw, specification, slack, k);
    one.bins = yield_by_value(sample, one.parameter, level);
    out.push_back(std::move(one));
  }
  return out;
}

}  // namespace renth
