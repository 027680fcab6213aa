#include <cmath>
#include <renth/base/undefined.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
namespace {

/// Σ w (x_j − x̄_j)² of a column, x̄ weighted.
double spread_of(const Regression& fit, Eigen::Index column) {
  if (fit.plots.count() > 0) {  // round the mean that generalised least squares gives
    const Eigen::VectorXd one = fit.scaled(Eigen::VectorXd::Ones(fit.runs()));
    return (fit.x.col(column) - one * (one.dot(fit.x.col(column)) / one.squaredNorm())).squaredNorm();
  }
  const Eigen::ArrayXd x = fit.x.col(column).array() / fit.root.array(), w = fit.root.array().square();
  const double mean = (w * x).sum() / w.sum();
  return (w * (x - mean).square()).sum();
}

/// The error between whole plots, which every run elsewhere has too, and what its terms are judged by.
void take_plots(const Regression& fit, Polynomial::State& s) {
  s.plot_variance = fit.plot_variance();
  s.freedom.resize(Eigen::Index(s.terms.size()));
  for (std::size_t t = 0; t < s.terms.size(); ++t)
    s.freedom[Eigen::Index(t)] = fit.freedom_of({fit.column[t]});
  // A prediction shares the error of its plot: it is known no better than the plots are.
  if (fit.degrees_between() > 0) s.degrees_of_freedom = std::min(s.degrees_of_freedom, fit.degrees_between());
}

}  // namespace

Fit polynomial_fit(PolynomialOptions options) {
  return [options](const Space& space, const Data& data, Seed) -> std::unique_ptr<const Surrogate> {
    check_data(space, data);
    const Regression fit = regress(
        space, data, options.terms.empty() ? suggested_terms(space, data.inputs, data.blocks) : options.terms,
        options.transform, options.confounded);
    Polynomial::State s;
    s.space = Space(space.parameters());
    s.terms = fit.terms;
    s.transform = options.transform;
    const Extended beta = fit.beta(fit.column);
    s.beta = beta.cast<double>();
    s.tail = (beta - s.beta.cast<long double>()).cast<double>();
    s.factor = fit.inverse(fit.column, Eigen::all);
    s.sigma2 = fit.sigma2();
    s.degrees_of_freedom = fit.degrees_of_freedom();
    if (fit.plots.count() > 0) take_plots(fit, s);
    const auto count = Eigen::Index(s.terms.size());
    s.vif.setConstant(count, undefined);
    s.standardised.setConstant(count, undefined);
    for (Eigen::Index j = 0; j < count; ++j) {
      if (s.terms[std::size_t(j)].factors.empty()) continue;
      const double spread = spread_of(fit, fit.column[std::size_t(j)]);
      s.vif[j] = s.factor.row(j).squaredNorm() * spread;
      s.standardised[j] = s.beta[j] * std::sqrt(spread / fit.sst);
    }
    return std::make_unique<Polynomial>(std::move(s));
  };
}

}  // namespace renth
