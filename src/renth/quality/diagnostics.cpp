#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/diagnostics.hpp>

namespace renth {
namespace {

using Eigen::Index;
constexpr double not_defined = std::numeric_limits<double>::quiet_NaN();
constexpr Index many_runs = 5000;

TestResult constant_variance(const Eigen::VectorXd& residual, const Eigen::VectorXd& fitted) {
  const Eigen::ArrayXd u = residual.array().square(), du = u - u.mean(), df = fitted.array() - fitted.mean();
  const double uu = du.square().sum(), ff = df.square().sum();
  if (!(uu > 0) || !(ff > 0) || residual.size() < 4) return {not_defined, not_defined};
  const double statistic = double(residual.size()) * std::pow((du * df).sum(), 2) / (uu * ff);
  return {statistic, chi_squared_upper(statistic, 1)};
}

TestResult order_dependence(const Regression& fit, const Eigen::VectorXd& e) {
  const Index n = e.size();
  const double df = fit.degrees_of_freedom();
  if (df < 3 || !(e.squaredNorm() > 0)) return {not_defined, not_defined};
  const double d = (e.tail(n - 1) - e.head(n - 1)).squaredNorm() / e.squaredNorm();
  if (n > many_runs) return {d, 2 * normal_cdf(-std::abs(d - 2) / std::sqrt(4.0 / double(n)))};
  // With Q an orthonormal basis of the columns, M = I − QQᵀ and A the matrix of squared differences:
  // E d = tr(MA)/df, var d = 2(df·tr((MA)²) − tr(MA)²)/(df²(df + 2)).
  Eigen::MatrixXd q = fit.x * fit.inverse, aq(n, q.cols());
  aq.row(0) = q.row(0) - q.row(1);
  aq.row(n - 1) = q.row(n - 1) - q.row(n - 2);
  if (n > 2) aq.middleRows(1, n - 2) = 2 * q.middleRows(1, n - 2) - q.topRows(n - 2) - q.bottomRows(n - 2);
  const Eigen::MatrixXd b = q.transpose() * aq;
  const double first = 2 * double(n - 1) - b.trace();
  const double second = 2 * (3 * double(n) - 4) - 2 * aq.squaredNorm() + b.squaredNorm();
  const double mean = first / df, variance = 2 * (df * second - first * first) / (df * df * (df + 2));
  const double m = mean / 4, v = variance / 16, sum = m * (1 - m) / v - 1;
  if (!(sum > 0)) return {d, not_defined};
  const double below = beta_cdf(std::clamp(d / 4, 0.0, 1.0), m * sum, (1 - m) * sum);
  return {d, 2 * std::min(below, 1 - below)};
}

void find_standouts(Diagnostics& d, double average_leverage) {
  for (Index i = 0; i < d.leverage.size(); ++i) {
    std::string why;
    const auto add = [&](const std::string& text) { why += (why.empty() ? "" : "; ") + text; };
    if (std::abs(d.external[i]) > d.outlier_bound)
      add(fmt::format(
          "{:.1f} standard deviations {} what the others predict, more than chance among {} runs: "
          "look at the run, repeat it or set it aside",
          std::abs(d.external[i]), d.external[i] > 0 ? "above" : "below", d.leverage.size()));
    if (d.cook[i] > d.cook_bound)
      add(fmt::format(
          "moves the coefficients by itself (Cook's distance {:.2f}): see what is left without it",
          d.cook[i]));
    if (1 - d.leverage[i] < 1e-8 && average_leverage < 0.9)
      add("decides a coefficient alone (leverage 1), so that nothing checks it: repeat it");
    if (!why.empty()) d.standouts.push_back({i, why});
  }
  std::stable_sort(d.standouts.begin(), d.standouts.end(), [&](const Standout& a, const Standout& b) {
    const auto size = [&](const Standout& s) {
      return std::isfinite(d.external[s.row]) ? std::abs(d.external[s.row]) : 0;
    };
    return size(a) > size(b);
  });
}

}  // namespace

Diagnostics diagnose(const Regression& fit) {
  Diagnostics d;
  const Index n = fit.runs();
  const double df = fit.degrees_of_freedom(), p = double(fit.size()), s = std::sqrt(fit.sigma2());
  d.leverage = fit.leverage();
  d.residual = fit.residual;
  d.fitted = fit.y - fit.residual;
  for (Eigen::VectorXd* v : {&d.internal, &d.external, &d.cook, &d.dffits, &d.left_out})
    v->setConstant(n, not_defined);
  const Eigen::VectorXd weighted = fit.scaled(d.residual);
  for (Index i = 0; i < n; ++i) {
    const double left = 1 - d.leverage[i], e = weighted[i];
    if (left < 1e-10) continue;
    // In a whole plot the others still tell what it is like.
    if (fit.plots.count() == 0) d.left_out[i] = fit.y[i] - d.residual[i] / left;
    if (!(df > 0)) continue;
    d.internal[i] = s > 0 ? e / (s * std::sqrt(left)) : 0;
    d.cook[i] = d.internal[i] * d.internal[i] * d.leverage[i] / (left * p);
    if (!(df > 1)) continue;
    const double others = (df - d.internal[i] * d.internal[i]) / (df - 1);  // s² without the run, by s²
    d.external[i] = d.internal[i] == 0 ? 0 : d.internal[i] / std::sqrt(std::max(others, 0.0));
    d.dffits[i] = d.external[i] * std::sqrt(d.leverage[i] / left);
  }
  d.outlier_bound = student_t_width(1 - 0.05 / double(n), df - 1);
  d.cook_bound = fisher_f_quantile(0.5, p, df);
  d.normality_test = n > many_runs ? "Anderson–Darling" : "Shapiro–Wilk";
  d.normality = d.variance = d.order = {not_defined, not_defined};
  // Residuals that are nothing but rounding say nothing.
  d.exact = !(fit.sse > 1e-24 * fit.scaled(fit.y).squaredNorm());
  if (df >= 3 && !d.exact) {
    std::vector<Index> defined;
    for (Index i = 0; i < n; ++i)
      if (std::isfinite(d.internal[i])) defined.push_back(i);
    const Eigen::VectorXd studentised = d.internal(defined);
    d.normality = n > many_runs ? anderson_darling(studentised) : shapiro_wilk(studentised);
    d.variance = constant_variance(weighted, d.fitted);
    d.order = order_dependence(fit, weighted);
  }
  if (df > 0 && !d.exact) find_standouts(d, p / double(n));
  return d;
}

}  // namespace renth
