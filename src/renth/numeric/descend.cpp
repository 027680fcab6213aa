#include <algorithm>
#include <cmath>
#include <nlopt.hpp>
#include <renth/numeric/descend.hpp>

namespace renth {

Descent descend(const SmoothFunction& function, const Eigen::VectorXd& start, const Eigen::VectorXd& low,
                const Eigen::VectorXd& high, const DescendOptions& options) {
  const auto n = static_cast<unsigned>(start.size());
  struct Call {
    const SmoothFunction& function;
    Descent best;
    double worst = 0;
  } call{function, {start.cwiseMax(low).cwiseMin(high)}};
  std::vector<double> at(call.best.at.data(), call.best.at.data() + n);
  nlopt::opt optimiser(nlopt::LD_LBFGS, n);
  optimiser.set_lower_bounds({low.data(), low.data() + n});
  optimiser.set_upper_bounds({high.data(), high.data() + n});
  optimiser.set_ftol_abs(options.value_tolerance);
  if (options.step_tolerance > 0) optimiser.set_xtol_abs(options.step_tolerance);
  optimiser.set_maxeval(options.most_evaluations);
  optimiser.set_min_objective(
      [](unsigned size, const double* x, double* grad, void* data) {
        Call& c = *static_cast<Call*>(data);
        const Eigen::VectorXd t = Eigen::Map<const Eigen::VectorXd>(x, size);
        Eigen::VectorXd g = Eigen::VectorXd::Zero(size);
        const double value = c.function(t, grad ? &g : nullptr);
        if (grad) std::copy(g.data(), g.data() + size, grad);
        if (value < c.best.value) c.best = {t, value};
        if (std::isfinite(value)) c.worst = std::max(c.worst, value);
        return std::isfinite(value) ? value : c.worst + 1e3;
      },
      &call);
  try {
    double value = 0;
    optimiser.optimize(at, value);
  } catch (const std::exception&) {
    // Rounding ended the line search.
  }
  return call.best;
}

}  // namespace renth
