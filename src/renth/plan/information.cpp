#include <algorithm>
#include <cmath>
#include <renth/base/undefined.hpp>
#include <renth/numeric/dense.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/symmetric_eigen.hpp>
#include <renth/plan/information.hpp>
#include <renth/terms/confounding.hpp>

namespace renth {
Information information(const Space& space, const Terms& terms, Points points, const Eigen::MatrixXd& moments,
                        const PlotErrors& errors) {
  Information out;
  const Eigen::MatrixXd x = errors.plots.whitened(model_matrix(space, terms, points), errors.ratio);
  const Eigen::Index n = x.rows(), p = x.cols();
  const Confounding found = find_confounding(x);
  out.std_error.setConstant(p, undefined);
  out.vif.setConstant(p, undefined);
  if (!found.dropped.empty() || n == 0) {
    out.confounded = describe(space, terms, found);
    out.log_det = out.a_efficiency = out.i_value = out.max_vif = out.condition = undefined;
    return out;
  }
  out.estimable = true;
  const Eigen::MatrixXd m = x.transpose() * x / double(n);
  const PositiveFactor factor(m);
  const Eigen::MatrixXd inverse = factor.inverse();
  out.inverse = inverse / double(n);
  out.log_det = factor.log_determinant();
  out.d_efficiency = std::exp(out.log_det / double(p));
  out.a_efficiency = double(p) / inverse.trace();
  out.i_value = out.inverse.cwiseProduct(moments).sum();
  const Eigen::VectorXd eigen = symmetric_eigenvalues(m);
  out.condition = eigen[p - 1] / eigen[0];
  out.leverage = (x * out.inverse).cwiseProduct(x).rowwise().sum();
  out.max_vif = undefined;
  for (Eigen::Index t = 0; t < p; ++t) {
    out.std_error[t] = std::sqrt(out.inverse(t, t));
    if (terms[std::size_t(t)].factors.empty()) continue;
    out.vif[t] = out.inverse(t, t) * (x.col(t).array() - x.col(t).mean()).square().sum();
    out.max_vif = std::isnan(out.max_vif) ? out.vif[t] : std::max(out.max_vif, out.vif[t]);
  }
  return out;
}

bool between_plots(const Space& space, const Term& term) {
  return std::all_of(term.factors.begin(), term.factors.end(),
                     [&](const Factor& f) { return space[f.parameter].hard; });
}

double power(double std_error_per_sigma, double degrees_of_freedom, double sigmas, double alpha) {
  if (!(degrees_of_freedom > 0) || !(std_error_per_sigma > 0)) return undefined;
  // A change of δσ between −1 and +1 is a coefficient of δσ/2.
  const double shift = 0.5 * sigmas / std_error_per_sigma;
  return noncentral_f_upper(fisher_f_quantile(1 - alpha, 1, degrees_of_freedom), 1, degrees_of_freedom,
                            shift * shift);
}

}  // namespace renth
