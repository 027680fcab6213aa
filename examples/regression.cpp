// A textbook plan of a rig that scatters: central composite, a quadratic with its analysis of variance, and
// the surface it describes.
#include <cmath>
#include <cstdio>
#include <random>
#include <renth/renth.hpp>

int main() {
  const renth::ParallelLimit threads;
  const renth::Space space({renth::continuous("draft", 0.1, 0.3), renth::continuous("damping", 20, 120)});
  const renth::Plan plan =
      renth::plan_method("central-composite").make(space, {.axial = "face", .centre = 5}, /*seed*/ 1);

  std::mt19937 generator(7);  // the rig: a hill, and a scatter of 2 N
  std::normal_distribution<double> scatter(0, 2);
  Eigen::MatrixXd force(plan.size(), 1);
  for (Eigen::Index i = 0; i < plan.size(); ++i) {
    const double draft = (plan.points(i, 0) - 0.21) / 0.1, damping = (plan.points(i, 1) - 80) / 50;
    force(i, 0) =
        300 - 20 * draft * draft - 12 * damping * damping + 5 * draft * damping + scatter(generator);
  }

  const renth::Data data = renth::make_data(space, plan.points, force, /*noisy*/ true);
  const renth::FittedResponse fit =
      renth::fit_response(space, data, {.kind = "polynomial", .request = {.terms = "quadratic"}});
  const renth::Polynomial& polynomial = *renth::polynomial_of(*fit.surrogate);
  std::printf("coded units:\n");
  for (const renth::Coefficient& c : polynomial.coefficients(0.95))
    std::printf("  %-14s %9.3f +- %.3f  t %7.2f  p %.4f\n", renth::name(space, c.term).c_str(), c.value,
                c.std_error, c.t, c.p);

  const renth::RegressionReport report = renth::report_regression(polynomial, data);
  std::printf("analysis of variance:\n");
  for (const renth::AnovaRow& row : report.anova.rows)
    std::printf("  %-14s df %2.0f  SS %9.2f  F %8.2f  p %.4f\n", row.source.c_str(), row.df, row.ss, row.f,
                row.p);

  std::string why;
  const auto surface = renth::canonical_analysis(space, polynomial, space.nominal(), 0.95, why);
  if (surface)
    std::printf("the surface is a %s at %s\n", surface->kind.c_str(),
                renth::describe(space, surface->point).c_str());
  else
    std::printf("no stationary point: %s\n", why.c_str());
}
