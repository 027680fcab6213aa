#include <doctest/doctest.h>

#include <Eigen/QR>
#include <renth/base/error.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/assess.hpp>
#include <renth/plan/central_composite.hpp>
#include <renth/plan/fractional_factorial.hpp>
#include <renth/plan/full_factorial.hpp>
#include <renth/plan/random.hpp>
#include <renth/plan/screening.hpp>
#include <renth/space/region.hpp>
#include <renth/terms/moments.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;
using Eigen::MatrixXd;

TEST_CASE("an orthogonal plan has efficiency 1 in everything that orthogonality decides") {
  const Space space = cube(4, -1, 1);
  const Plan plan = full_factorial(space, {}, 1);
  const Assessment a = assess(space, plan.points, plan.blocks, parse_terms(space, "linear"));
  CHECK(a.information.log_det == doctest::Approx(0).epsilon(1e-12));
  CHECK(a.information.d_efficiency == doctest::Approx(1));
  CHECK(a.information.a_efficiency == doctest::Approx(1));
  CHECK(a.g_efficiency == doctest::Approx(1));
  CHECK(a.information.max_vif == doctest::Approx(1));
  CHECK(a.information.condition == doctest::Approx(1));
  // xᵀ(XᵀX)⁻¹x = (1 + Σx²)/16: from 1/16 to 5/16, on average (1 + 4/3)/16.
  CHECK(a.variance.min == doctest::Approx(1.0 / 16).epsilon(1e-6));
  CHECK(a.variance.max == doctest::Approx(5.0 / 16));
  CHECK(a.variance.mean == doctest::Approx((1 + 4.0 / 3) / 16));
  CHECK(a.information.leverage.sum() == doctest::Approx(5));
  CHECK(a.aliases.empty());
}

TEST_CASE("variance inflation is 1/(1 − R²) of each term on the others, leverage the hat matrix") {
  const Space space = mixed();
  const Terms terms = parse_terms(space, "linear + a^2 + a*step");
  const MatrixXd points = random_plan(space, 30, 3).points, x = model_matrix(space, terms, points);
  const Information i = information(space, terms, points, region_moments(space, terms));
  for (Eigen::Index t = 1; t < x.cols(); ++t) {
    MatrixXd others(x.rows(), x.cols() - 1);
    others << x.leftCols(t), x.rightCols(x.cols() - t - 1);
    const Eigen::VectorXd residual = x.col(t) - others * others.colPivHouseholderQr().solve(x.col(t));
    const double total = (x.col(t).array() - x.col(t).mean()).square().sum();
    CHECK(i.vif[t] == doctest::Approx(total / residual.squaredNorm()));
  }
  const MatrixXd hat = x * x.completeOrthogonalDecomposition().pseudoInverse();
  CHECK((hat.diagonal() - i.leverage).norm() < 1e-10);
  CHECK(i.i_value == doctest::Approx(i.inverse.cwiseProduct(region_moments(space, terms)).sum()));
}

TEST_CASE("power is the share of simulated experiments whose t test finds the change") {
  const Space space = cube(2, -1, 1);
  const Terms terms = parse_terms(space, "products");
  const Plan plan = full_factorial(space, {.replicates = 2}, 1);
  const MatrixXd x = model_matrix(space, terms, plan.points);
  const Assessment a = assess(space, plan.points, plan.blocks, terms);
  const Eigen::HouseholderQR<MatrixXd> qr(x);
  Stream stream(1, "experiments");
  const int experiments = 6000;
  const double critical = student_t_width(0.95, 4);
  for (const double change : {1.0, 2.0}) {
    int found = 0;
    for (int e = 0; e < experiments; ++e) {
      Eigen::VectorXd y = 0.5 * change * x.col(1);
      for (double& v : y) v += stream.normal();
      const Eigen::VectorXd beta = qr.solve(y);
      const double s = std::sqrt((y - x * beta).squaredNorm() / 4);
      found += std::abs(beta[1]) / (s * a.information.std_error[1]) > critical;
    }
    const double p = double(found) / experiments, predicted = change == 1 ? a.power1[1] : a.power2[1];
    CHECK(std::abs(p - predicted) < 4 * std::sqrt(p * (1 - p) / experiments));
  }
  CHECK(std::isnan(power(0.5, 0, 1)));
}

TEST_CASE("the shares of the region are those of random points, and the extremes bound them") {
  const Space space = cube(3, -1, 1);
  const Terms terms = parse_terms(space, "quadratic");
  const Plan plan = central_composite(space, {}, 1);
  const Assessment a = assess(space, plan.points, plan.blocks, terms);
  const MatrixXd probes = sample_region(space, 20'000, Values::physical, 5, "probes"),
                 x = model_matrix(space, terms, probes);
  const Eigen::VectorXd v = (x * a.information.inverse).cwiseProduct(x).rowwise().sum();
  CHECK(v.maxCoeff() <= a.variance.max * (1 + 1e-9));
  CHECK(v.minCoeff() >= a.variance.min * (1 - 1e-9));
  CHECK(v.mean() == doctest::Approx(a.variance.mean).epsilon(0.01));
  for (const double share : {0.25, 0.5, 0.9}) {
    const double bound = a.variance.fraction[std::size_t(std::lround(100 * share))].second;
    CHECK(double((v.array() <= bound).count()) / 20'000 == doctest::Approx(share).epsilon(0.02));
  }
  CHECK(a.variance.fraction.front().second == a.variance.min);
  CHECK(a.variance.fraction.back().second == a.variance.max);
}

TEST_CASE("aliases are found inside the model and beyond it") {
  const Space space = cube(4, -1, 1);
  const Plan half = fractional_factorial(space, {.generators = "x4=x1*x2*x3"}, 1);
  const Assessment a = assess(space, half.points, half.blocks, parse_terms(space, "products"));
  CHECK_FALSE(a.information.estimable);
  CHECK(std::isnan(a.information.max_vif));
  CHECK(a.information.d_efficiency == 0);
  CHECK(a.warnings.at(0).find("x1*x2") != std::string::npos);
  int whole = 0;
  for (const Alias& alias : a.aliases) whole += std::abs(std::abs(alias.correlation) - 1) < 1e-9;
  CHECK(whole == 3);  // ab = cd, ac = bd, ad = bc

  const Space five = cube(5, -1, 1);
  const Plan small = plackett_burman(five, {.runs = 12}, 1);
  const Assessment b = assess(five, small.points, small.blocks, parse_terms(five, "linear"));
  CHECK(b.aliases.size() == 5 * 6);  // each main effect with each product of two others, at a third
  for (const Alias& alias : b.aliases) CHECK(std::abs(alias.correlation) == doctest::Approx(1.0 / 3));
}

TEST_CASE("saturated plans, blocks and axial runs are warned about") {
  const Space space = cube(2, -1, 1);
  MatrixXd three(3, 2);
  three << -1, -1, 1, -1, 0, 1.5;
  const Assessment a = assess(space, three, {}, parse_terms(space, "linear"));
  CHECK(a.warnings.size() == 2);
  CHECK(a.warnings[0].find("as many runs as terms") != std::string::npos);
  CHECK(a.warnings[1].find("1 runs lie outside a span") != std::string::npos);
  CHECK(std::isnan(a.power1[1]));
  CHECK(a.information.leverage.minCoeff() == doctest::Approx(1));
  Eigen::VectorXi blocks(3);
  blocks << 0, 1, 1;
  CHECK(assess(space, three, blocks, parse_terms(space, "linear")).block_correlation > 0.1);
  CHECK_THROWS_AS(assess(space, MatrixXd(0, 2), {}, {}), Error);
}
