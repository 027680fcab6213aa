#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <renth/base/error.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/space/scatter.hpp>

namespace renth {
namespace {

using Shape = Scatter::Shape;
using Index = Eigen::Index;

double size_at(const Scatter& scatter, double setting) {
  return scatter.relative ? scatter.size * std::abs(setting) : scatter.size;
}

double log_deviation(const Scatter& scatter, double factor) {
  const double size = factor * scatter.size;
  return std::sqrt(std::log1p(size * size));
}

/// A quantile of values in order, straight between them.
double quantile_of(const std::vector<double>& ascending, double u) {
  const double at = u * double(ascending.size()) - 0.5;
  if (at <= 0) return ascending.front();
  const auto i = std::size_t(at);
  if (i + 1 >= ascending.size()) return ascending.back();
  return ascending[i] + (at - double(i)) * (ascending[i + 1] - ascending[i]);
}

double value_of(const Parameter& p, std::size_t i) {
  return p.is_choice() ? double(i) : p.values[i];
}

/// One of the levels or choices by their shares; what is not the setting `factor` times as often.
double shared(const Parameter& p, double setting, double u, double factor) {
  const std::vector<double>& shares = p.scatter.values;
  double sum = 0, others = 0;
  for (std::size_t i = 0; i < shares.size(); ++i)
    if (value_of(p, i) != setting) others += shares[i];
  const double other = std::min(1.0, factor * others);
  for (std::size_t i = 0; i < shares.size(); ++i) {
    sum += value_of(p, i) == setting ? 1 - other : others > 0 ? shares[i] * other / others : 0;
    if (u < sum) return value_of(p, i);
  }
  return value_of(p, shares.size() - 1);
}

}  // namespace

std::vector<std::string> shared_names(const Parameter& p) {
  std::vector<std::string> out = p.choices;
  for (const double v : p.values) out.push_back(fmt::format("{}", v));
  return out;
}

double scatter_quantile(const Parameter& p, double setting, double u, double factor) {
  const Scatter& scatter = p.scatter;
  const double size = factor * size_at(scatter, setting);
  switch (scatter.shape) {
    case Shape::none:
      return setting;
    case Shape::normal:
      return setting + size * normal_quantile(u);
    case Shape::uniform:
      return setting + size * (2 * u - 1);
    case Shape::triangular:  // the sum of two uniforms
      return setting + size * (u < 0.5 ? std::sqrt(2 * u) - 1 : 1 - std::sqrt(2 * (1 - u)));
    case Shape::lognormal:
      return setting * std::exp(log_deviation(scatter, factor) * normal_quantile(u));
    case Shape::measured:
      return setting + factor * quantile_of(scatter.values, u);
    case Shape::shares:
      return shared(p, setting, u, factor);
  }
  return setting;
}

double scatter_density(const Parameter& p, double setting, double x) {
  const Scatter& scatter = p.scatter;
  const double size = size_at(scatter, setting), z = (x - setting) / size;
  const auto bell = [](double t) { return std::exp(-0.5 * t * t) / std::sqrt(2 * M_PI); };
  switch (scatter.shape) {
    case Shape::normal:
      return bell(z) / size;
    case Shape::uniform:
      return std::abs(z) <= 1 ? 0.5 / size : 0;
    case Shape::triangular:
      return std::max(0.0, 1 - std::abs(z)) / size;
    case Shape::lognormal: {
      const double s = log_deviation(scatter, 1);
      return x > 0 ? bell(std::log(x / setting) / s) / (s * x) : 0;
    }
    case Shape::shares:
      for (std::size_t i = 0; i < scatter.values.size(); ++i)
        if (value_of(p, i) == x) return scatter.values[i];
      return 0;
    case Shape::none:
      return x == setting ? 1 : 0;
    case Shape::measured:
      break;
  }
  return std::numeric_limits<double>::quiet_NaN();
}

ScatterEnds scatter_ends(const Parameter& p, double setting) {
  const double three = normal_cdf(3);
  switch (p.scatter.shape) {
    case Shape::normal:
    case Shape::lognormal:
      return {scatter_quantile(p, setting, 1 - three), scatter_quantile(p, setting, three)};
    case Shape::measured:
      return {setting + p.scatter.values.front(), setting + p.scatter.values.back()};
    case Shape::uniform:
    case Shape::triangular: {
      const double size = size_at(p.scatter, setting);
      return {setting - size, setting + size};
    }
    default:
      return {setting, setting};
  }
}

void check_scatter(const Parameter& p, const std::string& place) {
  const Scatter& s = p.scatter;
  if (s.shape == Shape::none) return;
  if (!(s.tighten_cost > 0) || !std::isfinite(s.tighten_cost))
    throw Error("the cost of tightening is not above 0", place, "leave it out: 1");
  if (s.shape == Shape::shares) {
    const std::size_t count = p.is_choice() ? p.choices.size() : p.values.size();
    if (p.is_between()) throw Error("shares belong to levels and choices", place, "write { normal = 0.05 }");
    if (s.values.size() != count)
      throw Error(fmt::format("{} shares for {} levels or choices", s.values.size(), count), place,
                  "give each its share");
    if (std::any_of(s.values.begin(), s.values.end(),
                    [](double v) { return !(v >= 0) || !std::isfinite(v); }))
      throw Error("a share is below 0", place, "give 0 to what never happens");
    if (const double sum = std::accumulate(s.values.begin(), s.values.end(), 0.0); std::abs(sum - 1) > 1e-9)
      throw Error(fmt::format("the shares add up to {:.6g}", sum), place, "make them add up to 1");
    return;
  }
  if (p.is_choice())
    throw Error("a choice can only have shares", place, "write { shares = { steel = 0.9, … } }");
  if (s.shape == Shape::measured) {
    if (s.values.empty()) throw Error("there is no measured deviation", place, "give a column of them");
    if (!std::all_of(s.values.begin(), s.values.end(), [](double v) { return std::isfinite(v); }))
      throw Error("a measured deviation is not finite", place, "remove it");
    return;
  }
  if (!(s.size > 0) || !std::isfinite(s.size))
    throw Error("a scatter must be above 0", place, "give a width");
  if (s.relative && s.shape != Shape::lognormal && p.low <= 0 && p.high >= 0)
    throw Error("a percentage, and the span contains 0", place, "give an absolute number");
  if (s.shape == Shape::lognormal && p.low <= 0)
    throw Error("a lognormal needs a span above 0", place, "use normal");
}

ScatterDraw::ScatterDraw(const Space& space) : all_(space.parameters()) {
  const std::vector<RankCorrelation>& correlations = space.correlations();
  std::vector<Index> column(all_.size(), -1);
  for (std::size_t j = 0; j < all_.size(); ++j) {
    check_scatter(all_[j], all_[j].name + " scatter");
    if (!all_[j].scatter.any()) continue;
    column[j] = Index(parameters_.size());
    parameters_.push_back(Index(j));
  }
  if (correlations.empty()) return;
  Eigen::MatrixXd matrix = Eigen::MatrixXd::Identity(dimensions(), dimensions());
  for (const RankCorrelation& c : correlations) {
    const std::string place =
        "correlation of " + all_[std::size_t(c.a)].name + " and " + all_[std::size_t(c.b)].name;
    const Index a = column[std::size_t(c.a)], b = column[std::size_t(c.b)];
    if (a < 0 || b < 0)
      throw Error(all_[std::size_t(a < 0 ? c.a : c.b)].name + " has no scatter", place,
                  "give it one, or remove the correlation");
    if (a == b) throw Error("a parameter with itself", place, "name two");
    if (!(std::abs(c.rank) < 1))
      throw Error(fmt::format("{} is no rank correlation", c.rank), place, "give one between -1 and 1");
    if (matrix(a, b) != 0) throw Error("it stands twice", place, "keep one");
    matrix(a, b) = matrix(b, a) = 2 * std::sin(M_PI / 6 * c.rank);
  }
  const PositiveFactor factored(matrix);
  if (!factored.is_definite())
    throw Error("these correlations cannot be together: they make no correlation matrix", "[[correlation]]",
                "if two parameters go with a third, they go with each other: bring the numbers nearer to 0");
  factor_ = factored.factor();
}

Eigen::MatrixXd ScatterDraw::around(Points settings, const Eigen::MatrixXd& units,
                                    const Eigen::VectorXd& factors) const {
  const Index m = units.rows();
  Eigen::MatrixXd out =
      settings.rows() == 1 ? Eigen::MatrixXd(settings.replicate(m, 1)) : Eigen::MatrixXd(settings);
  Eigen::VectorXd u(m);
  Eigen::MatrixXd normals;
  if (correlated()) {
    normals = units.unaryExpr([](double v) { return normal_quantile(v); });
    normals = (normals * factor_.transpose()).eval();
  }
  for (Index k = 0; k < dimensions(); ++k) {
    const Parameter& p = all_[std::size_t(parameters_[std::size_t(k)])];
    const double factor = factors.size() > 0 ? factors[k] : 1;
    for (Index i = 0; i < m; ++i) {
      double& x = out(i, parameters_[std::size_t(k)]);
      x = scatter_quantile(p, x, correlated() ? normal_cdf(normals(i, k)) : units(i, k), factor);
    }
  }
  return out;
}

Eigen::MatrixXd ScatterDraw::round_each(Points settings, const Eigen::MatrixXd& units) const {
  const Index m = settings.rows(), n = units.rows();
  Eigen::MatrixXd each(m * n, settings.cols());
  for (Index i = 0; i < m; ++i) each.middleRows(i * n, n) = settings.row(i).replicate(n, 1);
  return around(each, units.replicate(m, 1));
}

}  // namespace renth
