#include <cmath>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/regression.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/regression_report.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {

RegressionReport report_regression(const Polynomial& model, const Data& data, double level) {
  const Polynomial::State& s = model.state();
  const Regression fit = regression_of(model, data);
  RegressionReport out;
  out.terms = static_cast<int>(fit.size());
  out.anova = analyse_variance(s.space, data, fit);
  out.strata = {int(fit.plots.count()), std::sqrt(fit.plot_variance()), std::sqrt(fit.sigma2()),
                fit.plots.count() > 0 ? fit.degrees_between() : 0,
                fit.plots.count() > 0 ? fit.degrees_within() : fit.degrees_of_freedom()};
  out.diagnostics = diagnose(fit);
  if (s.transform.none() && data.size() <= 20'000) out.box_cox = box_cox(s.space, data, s.terms, level);
  out.bound = student_t_width(level, s.degrees_of_freedom);
  const double sigma = std::sqrt(s.sigma2);
  Eigen::VectorXd values(Eigen::Index(s.terms.size()));
  Eigen::Index count = 0;
  for (std::size_t t = 0; t < s.terms.size(); ++t) {
    const auto i = static_cast<Eigen::Index>(t);
    if (s.terms[t].factors.empty()) continue;
    for (const Factor& f : s.terms[t].factors) out.squares = out.squares || f.power > 1;
    const double value = s.beta[i] / s.factor.row(i).norm();
    values[count++] = value;
    out.effects.push_back({name(s.space, s.terms[t]), value, value / sigma, false});
    if (s.vif[i] > out.max_vif) out.max_vif = s.vif[i], out.max_vif_term = out.effects.back().term;
  }
  out.lenth = lenth(values.head(count), level);
  const bool saturated = !(s.degrees_of_freedom > 0);
  std::size_t at = 0;
  for (std::size_t t = 0; t < s.terms.size(); ++t) {
    if (s.terms[t].factors.empty()) continue;
    Effect& e = out.effects[at++];
    const double bound =
        s.freedom.size() > 0 ? student_t_width(level, s.freedom[Eigen::Index(t)]) : out.bound;
    e.active = saturated ? std::abs(e.value) > out.lenth.margin : std::abs(e.t) > bound;
  }
  return out;
}

}  // namespace renth
