// A heaving buoy from plan to optimum: two responses of numbers and a choice, fitted, ranked, searched under
// a limit, and looked at under tolerances.
#include <cmath>
#include <cstdio>
#include <renth/renth.hpp>

namespace {

// Stands for a solver: power in kW and mass in t of a buoy.
double power(const Eigen::VectorXd& x) {
  const double radius = x[0], draft = x[1], damping = x[2];
  const double tuned = std::exp(-std::pow((draft - 0.55 * radius) / 1.6, 2));
  return 9 * radius * tuned * damping / (80 + damping) * (x[3] == 1 ? 1.08 : 1);
}
double mass(const Eigen::VectorXd& x) {
  return 3.14159 * x[0] * x[0] * x[1] * 0.2 * (x[3] == 1 ? 0.6 : 1);
}

}  // namespace

int main() {
  const renth::ParallelLimit threads;
  renth::Problem problem;
  renth::Parameter radius = renth::continuous("radius", 3, 8), draft = renth::continuous("draft", 1.5, 6);
  radius.unit = draft.unit = "m";
  radius.scatter = {renth::Scatter::Shape::normal, 0.05};
  draft.scatter = {renth::Scatter::Shape::uniform, 0.1};
  problem.space = renth::Space(
      {radius, draft, renth::continuous("damping", 20, 400), renth::choice("hull", {"steel", "composite"})});
  problem.responses.resize(3);
  problem.responses[0].name = "power";
  problem.responses[0].goal = renth::Goal::Aim::maximise;
  problem.responses[1].name = "mass";
  problem.responses[2].name = "power_per_tonne";
  problem.responses[2].derive = problem.derivation(2, "power / mass", "power_per_tonne");

  const renth::Plan plan = renth::plan_method("latin-hypercube").make(problem.space, {.runs = 50}, 1);
  Eigen::MatrixXd powers(plan.size(), 1), masses(plan.size(), 1);
  for (Eigen::Index i = 0; i < plan.size(); ++i) {
    powers(i, 0) = power(plan.points.row(i));
    masses(i, 0) = mass(plan.points.row(i));
  }

  const renth::FittedModel fitted = renth::fit_model(problem, plan.points, {powers, masses, {}});
  for (const auto& of : fitted.responses)
    if (of)
      std::printf("%s, Q2 %.4f: %s\n", of->fit.why.c_str(), of->quality.q2,
                  renth::name(of->judgement.verdict).data());

  const renth::Predictor predictor(fitted.model, renth::parallel_for);
  const auto mean_power = [&](renth::Points x) { return predictor.mean_of(0, x); };
  renth::RankOptions options;
  renth::tell_what_is_missed(*fitted.responses[0]->fit.surrogate, fitted.responses[0]->data,
                             fitted.responses[0]->quality.q2, options);
  const renth::Ranking ranking = renth::rank_parameters(
      problem.space, [&](renth::Points x) -> Eigen::VectorXd { return mean_power(x).col(0); }, {}, options,
      1);
  for (const renth::RankedParameter& p : ranking.parameters)
    std::printf("%-8s has a part in %5.1f %% of the variance of power\n",
                problem.space[p.parameter].name.c_str(), 100 * p.total);

  renth::Notes notes;
  const auto sought =
      renth::sought_problem(problem, renth::wanted(problem, {.keep = {"mass <= 30"}}, ""), predictor,
                            /*probability*/ 0, notes);
  renth::scale_constraints(sought->problem, 1);
  const renth::SeekResult best = renth::seek(sought->problem, {}, 1);
  const Eigen::VectorXd at = best.proposals.front().point;
  std::printf("most power with mass <= 30: %.2f kW at %s\n", best.proposals.front().responses[0],
              renth::describe(problem.space, at).c_str());
  std::printf("the solver says %.2f kW, %.2f t\n", power(at), mass(at));

  const renth::Specification specification(
      predictor,
      {.accept = renth::accepts_with(problem, {"power>=" + std::to_string(0.99 * power(at))}, "accept")});
  const renth::ToleranceResult yield = renth::tolerance(specification, at, {}, 1);
  std::printf("%.1f %% of what is made there keep 99 %% of that power (%.1f to %.1f)\n",
              100 * yield.yield.value, 100 * yield.yield.low, 100 * yield.yield.high);
}
