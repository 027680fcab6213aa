// A loop round a solver of one's own: fit, run where the surrogate expects to improve most, fit again, until
// the best that was found hardly grows.
#include <cmath>
#include <cstdio>
#include <renth/renth.hpp>

namespace {

// The caller's solver: six humps (L. C. W. Dixon and G. P. Szego, Towards Global Optimisation 2, 1978),
// turned round so that large is good. Its largest value is 1.0316.
double solver(const Eigen::VectorXd& x) {
  const double a = x[0] * x[0], b = x[1] * x[1];
  return -((4 - 2.1 * a + a * a / 3) * a + x[0] * x[1] + (4 * b - 4) * b);
}

}  // namespace

int main() {
  const renth::ParallelLimit threads;
  const renth::Space space({renth::continuous("x", -2, 2), renth::continuous("y", -1, 1)});
  Eigen::MatrixXd runs = renth::latin_hypercube(space, {.runs = 16}, /*seed*/ 1).points;
  Eigen::MatrixXd values(runs.rows(), 1);
  for (Eigen::Index i = 0; i < runs.rows(); ++i) values(i, 0) = solver(runs.row(i));

  for (int round = 1; round <= 12; ++round) {
    const renth::Data data = renth::make_data(space, runs, values);
    const renth::FittedResponse fit = renth::fit_response(space, data, {.kind = "kriging"});
    // Candidates all over the region; two are chosen, the second as if the first were known.
    const Eigen::MatrixXd candidates =
        renth::sample_region(space, 1000, renth::Values::settable, round, "candidates");
    const renth::Prediction p = fit.surrogate->predict(candidates, {.variance = true});
    renth::ImprovementProblem problem;
    problem.mean = p.mean;
    problem.sd = renth::deviations(p.model_variance);
    problem.belief = {0};
    problem.value = [](const Eigen::VectorXd& y) { return y[0]; };
    problem.best = values.maxCoeff();
    double gain = 0;
    const auto chosen =
        renth::choose_improving(renth::Beliefs({fit.surrogate->covariance(candidates, 0)}), problem, 2,
                                /*seed*/ round, &gain);
    std::printf("round %2d: %2d runs, best %.4f, the next is expected to gain %.4f\n", round,
                int(runs.rows()), problem.best, gain);
    if (gain < 1e-4) break;
    for (const Eigen::Index k : chosen) {
      runs.conservativeResize(runs.rows() + 1, Eigen::NoChange);
      values.conservativeResize(runs.rows(), Eigen::NoChange);
      runs.bottomRows(1) = candidates.row(k);
      values(runs.rows() - 1, 0) = solver(candidates.row(k));
    }
  }
  Eigen::Index at;
  const double best = values.col(0).maxCoeff(&at);
  std::printf("best of %d runs: %.4f at %s (the largest there is: 1.0316)\n", int(runs.rows()), best,
              renth::describe(space, runs.row(at)).c_str());
}
