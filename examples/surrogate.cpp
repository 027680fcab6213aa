// Sample a function of two parameters, fit a surrogate, see how far to believe it, and ask it.
#include <cmath>
#include <cstdio>
#include <renth/renth.hpp>

int main() {
  const renth::ParallelLimit threads;  // as many as there are cores, and one in BLAS
  const renth::Space space({renth::continuous("radius", 3, 8), renth::continuous("draft", 1, 6)});

  const renth::Plan plan = renth::latin_hypercube(space, {.runs = 30}, /*seed*/ 1);
  Eigen::MatrixXd outputs(plan.size(), 1);
  for (Eigen::Index i = 0; i < plan.size(); ++i)  // your solver
    outputs(i, 0) = std::sin(plan.points(i, 0)) * plan.points(i, 1) + plan.points(i, 0);

  const renth::Data data = renth::make_data(space, plan.points, outputs);
  const renth::FittedResponse fit = renth::fit_response(space, data);
  const renth::Quality quality = renth::measure_quality(space, *fit.surrogate, data, fit.cv, nullptr);
  const renth::Judgement judgement = renth::judge(quality, data.noisy, fit.surrogate->kind());
  std::printf("%s, Q2 = %.4f: %s\n", fit.why.c_str(), quality.q2, renth::name(judgement.verdict).data());

  const Eigen::MatrixXd at = (Eigen::MatrixXd(1, 2) << 5.0, 3.0).finished();
  const renth::Prediction p = fit.surrogate->predict(at, {.variance = true});
  const renth::Intervals bounds = fit.surrogate->intervals(p, 0.95);
  std::printf("at radius 5, draft 3: %.4f, 95 %% between %.4f and %.4f (true %.4f)\n", p.mean(0, 0),
              bounds.prediction_low(0, 0), bounds.prediction_high(0, 0), std::sin(5.0) * 3 + 5);
}
