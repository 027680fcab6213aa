#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/tolerance/tolerance.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

/// Draws until the interval is narrow enough, or a million are drawn.
ToleranceSample enough_draws(const ScatterDraw& draw, const Specification& specification,
                             const Eigen::VectorXd& at, const ToleranceOptions& options, Seed seed) {
  constexpr Index first = 4096, most = Index(1) << 20;
  if (options.samples > 0) return draw_sample(draw, specification, at, options.method, options.samples, seed);
  Index count = first;
  for (;;) {
    ToleranceSample sample = draw_sample(draw, specification, at, options.method, count, seed);
    const double half = yield_of(sample, options.level).half_width();
    if (half <= options.half_width || count >= most) return sample;
    // Even samples need fewer than the square of what is missing.
    Index next = 2 * count;
    while (double(next) < double(count) * std::pow(half / options.half_width, 1.7)) next *= 2;
    count = std::min(most, next);
  }
}

double at_share(const std::vector<double>& ascending, double p) {
  const double at = p * double(ascending.size() - 1);
  const auto i = std::min(std::size_t(at), ascending.size() - 1), j = std::min(i + 1, ascending.size() - 1);
  return ascending[i] + (at - double(i)) * (ascending[j] - ascending[i]);
}

ResponseSpread spread_of(const ToleranceSample& sample, const Specification& specification, Index column,
                         double level) {
  ResponseSpread out;
  out.response = specification.responses()[std::size_t(column)];
  std::vector<double> v;
  for (Index i = 0; i < sample.size(); ++i)
    if (std::isfinite(sample.responses(i, column))) v.push_back(sample.responses(i, column));
  out.undefined = 1 - double(v.size()) / double(sample.size());
  constexpr double none = std::numeric_limits<double>::quiet_NaN();
  out.mean = out.sd = out.p05 = out.p50 = out.p95 = out.capability = none;
  if (!v.empty()) {
    double sum = 0, square = 0;
    for (const double x : v) sum += x;
    out.mean = sum / double(v.size());
    for (const double x : v) square += (x - out.mean) * (x - out.mean);
    out.sd = std::sqrt(square / std::max(1.0, double(v.size()) - 1));
    std::sort(v.begin(), v.end());
    out.p05 = at_share(v, 0.05);
    out.p50 = at_share(v, 0.5);
    out.p95 = at_share(v, 0.95);
    constexpr int bins = 30;
    const double low = at_share(v, 0.0005), high = at_share(v, 0.9995), width = (high - low) / bins;
    for (int b = 0; b < bins && width > 0; ++b) {
      const auto begin = b == 0 ? v.begin() : std::lower_bound(v.begin(), v.end(), low + b * width);
      const auto end = b + 1 == bins ? v.end() : std::lower_bound(v.begin(), v.end(), low + (b + 1) * width);
      out.histogram.push_back(
          {low + b * width, low + (b + 1) * width, double(end - begin) / double(sample.size())});
    }
  }
  const Accept& accept = specification.accept(out.response);
  if (accept.any() && out.sd > 0) {
    double room = std::numeric_limits<double>::infinity();
    if (accept.min) room = std::min(room, out.mean - *accept.min);
    if (accept.max) room = std::min(room, *accept.max - out.mean);
    out.capability = room / (3 * out.sd);
  }
  // By all limits of this response alone.
  Eigen::VectorXd hits = Eigen::VectorXd::Zero(sample.parts);
  const Index each = sample.size() / sample.parts;
  for (Index i = 0; i < sample.size(); ++i) {
    bool within = true;
    for (std::size_t l = 0; l < specification.limits().size(); ++l)
      within =
          within && (specification.limits()[l].response != out.response || sample.margins(i, Index(l)) >= 0);
    hits[i / each] += within ? 1 : 0;
  }
  out.yield = share_of_sample(hits, double(each), sample.method, level);
  return out;
}

/// Every corner of the tolerance box, and of choices and levels every one that happens.
Eigen::MatrixXd tolerance_corners(const Space& space, const ScatterDraw& draw, const Eigen::VectorXd& at) {
  constexpr double most = 65'536;
  std::vector<std::vector<double>> ends;
  double count = 1;
  for (const Index j : draw.parameters()) {
    const Parameter& p = space[j];
    ends.emplace_back();
    if (p.scatter.shape == Scatter::Shape::shares) {
      for (std::size_t i = 0; i < p.scatter.values.size(); ++i)
        if (p.scatter.values[i] > 0) ends.back().push_back(p.is_choice() ? double(i) : p.values[i]);
    } else {
      const ScatterEnds e = scatter_ends(p, at[j]);
      ends.back() = {e.low, e.high};
    }
    count *= double(ends.back().size());
  }
  if (count > most)
    throw Error(fmt::format("the tolerance box has {:.3g} corners", count), "tolerance --method corners",
                "hold some parameters' scatter at --set p=none, or draw a sample");
  Eigen::MatrixXd out = at.transpose().replicate(Index(count), 1);
  for (Index i = 0; i < out.rows(); ++i) {
    Index rest = i;
    for (std::size_t k = 0; k < ends.size(); ++k) {
      out(i, draw.parameters()[k]) = ends[k][std::size_t(rest) % ends[k].size()];
      rest /= Index(ends[k].size());
    }
  }
  return out;
}

ToleranceResult worst_cases(const Specification& specification, const ScatterDraw& draw,
                            const Eigen::VectorXd& at) {
  const Space& space = specification.predictor().problem().space;
  const Eigen::MatrixXd corners = tolerance_corners(space, draw, at);
  const Eigen::MatrixXd margins = specification.margins(corners);
  ToleranceResult out;
  out.at = at;
  out.method = Sampling::corners;
  out.samples = corners.rows();
  out.yield = {NAN, NAN, NAN};
  out.shares = shares_in_specification(margins);
  for (Index l = 0; l < margins.cols(); ++l) {
    Index worst = 0;
    for (Index i = 1; i < margins.rows(); ++i)
      if (!(margins(i, l) >= margins(worst, l)) && !std::isnan(margins(worst, l))) worst = i;
    out.worst.push_back({int(l), margins(worst, l), corners.row(worst).transpose()});
  }
  return out;
}

/// What the analyst should know of where the draws lie.
void look_where(const Specification& specification, const ToleranceSample& sample, ToleranceResult& out) {
  const Predictor& predictor = specification.predictor();
  constexpr Index most = 1024;
  const Index n = std::min(most, sample.size());
  std::vector<Index> rows;
  for (Index i = 0; i < n; ++i) rows.push_back(i * sample.size() / n);
  const Eigen::MatrixXd x = sample.points(rows, Eigen::all);
  const std::vector<char> inside = predictor.model().coverage.inside_each(x);
  out.outside = double(std::count(inside.begin(), inside.end(), 0)) / double(n);
  const Eigen::MatrixXd margins = predictor.margins(x);
  for (Index i = 0; i < n; ++i)
    if (margins.cols() > 0 && !(margins.row(i).array() >= 0).all()) out.beyond_limits += 1 / double(n);
  out.failure_risk = NAN;
  if (predictor.model().feasibility)
    out.failure_risk = 1 - predictor.model().feasibility->predict(x).mean.col(0).mean();
}

}  // namespace

ToleranceResult summary_of(const Specification& specification, const ToleranceSample& sample, double level) {
  ToleranceResult out;
  out.at = sample.at;
  out.method = sample.method;
  out.samples = sample.size();
  out.yield = yield_of(sample, level);
  out.as_random = double(sample.size());
  out.shares = shares_in_specification(sample.margins);
  for (Index k = 0; k < sample.responses.cols(); ++k)
    out.responses.push_back(spread_of(sample, specification, k, level));
  return out;
}

ToleranceResult tolerance(const Specification& specification, const Eigen::VectorXd& at,
                          const ToleranceOptions& options, Seed seed) {
  const Space& space = specification.predictor().problem().space;
  const ScatterDraw draw(space);
  if (draw.dimensions() == 0 && specification.noise() == 0)
    throw Error("no parameter has scatter", "tolerance", "say how they drift, such as { normal = 0.05 }");
  if (!space.allows(at))
    throw Error("the setting " + describe(space, at) + " breaks a limit", "tolerance", "choose another");
  if (options.method == Sampling::corners) return worst_cases(specification, draw, at);
  const ToleranceSample sample = enough_draws(draw, specification, at, options, seed);
  ToleranceResult out = summary_of(specification, sample, options.level);
  constexpr double far = 0.001;
  if (1 - out.yield.value < far) {
    const Estimate failures = rare_failures(draw, specification, at, options.level, hash64("rare", seed));
    if (failures.high < far && failures.high - failures.low < out.yield.high - out.yield.low) {
      out.rare = true;
      out.yield = {1 - failures.value, 1 - failures.high, 1 - failures.low};
    }
  }
  const double z = normal_quantile(0.5 + 0.5 * options.level), half = out.yield.half_width();
  out.as_random =
      half > 0 ? std::max(1.0, out.yield.value * (1 - out.yield.value) * z * z / (half * half)) : NAN;
  if (options.surrogate_error)
    out.with_surrogate = yield_with_surrogate_error(specification, sample, out.yield, options.level,
                                                    hash64("surrogate", seed), out.surrogate_missing);
  if (options.per_parameter) out.parameters = parameter_costs(draw, specification, sample, options.level);
  if (options.reach) out.reach = tolerances_for(draw, specification, at, *options.reach, options.level, seed);
  look_where(specification, sample, out);
  return out;
}

}  // namespace renth
