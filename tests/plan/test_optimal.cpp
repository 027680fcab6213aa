#include <doctest/doctest.h>

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <renth/base/error.hpp>
#include <renth/plan/information.hpp>
#include <renth/plan/optimal.hpp>
#include <renth/plan/sweep.hpp>
#include <renth/space/region.hpp>
#include <renth/terms/moments.hpp>
#include <renth/terms/term_rows.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;
using Eigen::MatrixXd;
using C = OptimalOptions::Criterion;

namespace {

Space grid_of_three(int k) {
  std::vector<Parameter> p;
  for (int j = 0; j < k; ++j) p.push_back(levels("x" + std::to_string(j + 1), {-1, 0, 1}));
  return Space(p);
}
MatrixXd all_of_three(int k) {
  const int m = int(std::pow(3, k));
  MatrixXd out(m, k);
  for (int i = 0; i < m; ++i)
    for (int j = 0, rest = i; j < k; ++j, rest /= 3) out(i, j) = rest % 3 - 1;
  return out;
}
/// det(M)^(1/p) of the best weights on these candidates: the multiplicative algorithm, until the
/// equivalence theorem holds (J. Kiefer and J. Wolfowitz, Canadian J. Math. 12, 1960: max f'M⁻¹f = p).
double continuous_bound(const Space& space, const Terms& terms, const MatrixXd& candidates,
                        Eigen::VectorXd* weights = nullptr) {
  const MatrixXd x = model_matrix(space, terms, candidates);
  const double p = double(terms.size());
  Eigen::VectorXd w = Eigen::VectorXd::Constant(x.rows(), 1.0 / double(x.rows()));
  double value = 0;
  for (int step = 0; step < 50'000; ++step) {
    const MatrixXd m = x.transpose() * w.asDiagonal() * x, inverse = m.inverse();
    value = std::pow(m.determinant(), 1 / p);
    const Eigen::VectorXd d = (x * inverse).cwiseProduct(x).rowwise().sum();
    if (d.maxCoeff() < p * (1 + 1e-7)) break;
    w = w.cwiseProduct(d) / p;
  }
  if (weights) *weights = w;
  return value;
}
double d_efficiency(const Space& space, const Terms& terms, const MatrixXd& points) {
  const MatrixXd x = model_matrix(space, terms, points);
  return std::pow((x.transpose() * x / double(x.rows())).determinant(), 1.0 / double(terms.size()));
}
MatrixXd inverse_of(const Space& space, const Terms& terms, const MatrixXd& points) {
  const MatrixXd x = model_matrix(space, terms, points);
  return (x.transpose() * x).inverse();
}

}  // namespace

TEST_CASE("exact D-optimal quadratics reach the known share of the continuous bound") {
  struct Known {
    int k, runs;
    double share;
  };
  for (const Known& known : {Known{2, 6, 0.8849},
                             {2, 8, 0.9572},
                             {2, 12, 0.9805},
                             {3, 10, 0.8631},
                             {3, 12, 0.9479},
                             {3, 15, 0.9684},
                             {3, 20, 0.9779}}) {
    CAPTURE(known.k);
    CAPTURE(known.runs);
    const Space space = grid_of_three(known.k);
    OptimalOptions o;
    o.terms = parse_terms(space, "quadratic");
    o.runs = known.runs;
    o.restarts = 3;
    const Plan plan = optimal(space, o, 1);
    const double share =
        d_efficiency(space, o.terms, plan.points) / continuous_bound(space, o.terms, all_of_three(known.k));
    CHECK(share > known.share - 0.00006);
    CHECK(share < known.share + 0.00006);
  }
}

TEST_CASE("a large D-optimal plan obeys the equivalence theorem: no point predicts worse than p/n by much") {
  const Space space = cube(2, -1, 1);
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.runs = 120;
  o.restarts = 2;
  const Plan plan = optimal(space, o, 1);
  const double most = largest_variance(space, o.terms, inverse_of(space, o.terms, plan.points));
  CHECK(most * 120 / 6 < 1.04);  // 1 is the continuous optimum, which 120 runs come close to
  CHECK(most * 120 / 6 >= 1);
}

TEST_CASE("spans are refined beyond any grid: the published six-run plan for a quadratic in two parameters") {
  // M. J. Box and N. R. Draper, Technometrics 13, 1971: three points off the grid of three.
  const Space space = cube(2, -1, 1);
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.runs = 6;
  const Plan plan = optimal(space, o, 1);
  const double delta = (4 - std::sqrt(13.0)) / 3;
  MatrixXd known(6, 2);
  known << -1, -1, 1, -1, -1, 1, -delta, -delta, 1, 3 * delta, 3 * delta, 1;
  CHECK(d_efficiency(space, o.terms, plan.points) > 0.9999 * d_efficiency(space, o.terms, known));
}

TEST_CASE("each criterion is best at its own figure, on a mixed space" * doctest::test_suite("long")) {
  const Space space({continuous("a", 0, 1), continuous("b", 0, 1), levels("n", {0, 1, 3}),
                     choice("kind", {"red", "green", "blue"})});
  OptimalOptions o;
  o.terms = parse_terms(space, "linear + a^2 + a*b + n^2");
  o.runs = 14;
  o.restarts = 4;
  const MatrixXd moments = region_moments(space, o.terms);
  std::map<C, std::array<double, 4>> figures;
  for (const C c : {C::D, C::I, C::A, C::G}) {
    o.criterion = c;
    const MatrixXd inverse = inverse_of(space, o.terms, optimal(space, o, 1).points);
    figures[c] = {std::log(inverse.determinant()), inverse.cwiseProduct(moments).sum(), inverse.trace(),
                  largest_variance(space, o.terms, inverse)};
  }
  for (int k = 0; k < 4; ++k)
    for (const auto& [c, f] : figures) {
      CAPTURE(k);
      const C own = std::array{C::D, C::I, C::A, C::G}[std::size_t(k)];
      CHECK(figures[own][std::size_t(k)] <= f[std::size_t(k)] + 1e-9);
    }
}

TEST_CASE("no exchange of one run for any other improves a plan: brute force over all candidates") {
  const Space space = grid_of_three(3);
  const Terms terms = parse_terms(space, "quadratic");
  const MatrixXd all = all_of_three(3), moments = region_moments(space, terms);
  for (const C c : {C::D, C::I}) {
    OptimalOptions o;
    o.terms = terms;
    o.runs = 13;
    o.criterion = c;
    o.restarts = 3;
    const Plan plan = optimal(space, o, 2);
    const auto value = [&](const MatrixXd& points) {
      const MatrixXd inverse = inverse_of(space, terms, points);
      return c == C::D ? -std::log(inverse.determinant()) : -inverse.cwiseProduct(moments).sum();
    };
    const double best = value(plan.points);
    double other = -1e300;
    for (Eigen::Index i = 0; i < plan.size(); ++i)
      for (Eigen::Index k = 0; k < all.rows(); ++k) {
        MatrixXd points = plan.points;
        points.row(i) = all.row(k);
        const double v = value(points);
        if (std::isfinite(v)) other = std::max(other, v);
      }
    CHECK(other <= best + 1e-7);
  }
}

TEST_CASE("candidates are the only settings used, and nothing is lost against coordinate exchange") {
  const Space space = cube(3, -1, 1);
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.runs = 14;
  o.restarts = 3;
  o.candidates = all_of_three(3);
  const Plan listed = optimal(space, o, 1);
  for (Eigen::Index i = 0; i < listed.size(); ++i)
    CHECK((o.candidates.rowwise() - listed.points.row(i)).rowwise().norm().minCoeff() == 0);
  OptimalOptions grid = o;
  grid.candidates.resize(0, 3);
  CHECK(d_efficiency(space, o.terms, listed.points) >
        0.995 * d_efficiency(space, o.terms, optimal(grid_of_three(3), grid, 1).points));
}

TEST_CASE("runs that exist count: the joint plan is better than one made without them") {
  const Space space = cube(2, -1, 1);
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.existing.resize(4, 2);
  o.existing << -1, -1, 1, -1, -1, 1, 1, 1;
  o.runs = 3;
  const auto joint = [&](const MatrixXd& more) {
    MatrixXd all(4 + more.rows(), 2);
    all << o.existing, more;
    return d_efficiency(space, o.terms, all);
  };
  const Plan plan = optimal(space, o, 1);
  for (Eigen::Index i = 0; i < 3; ++i)  // corners are there already
    CHECK((o.existing.rowwise() - plan.points.row(i)).rowwise().norm().minCoeff() > 0.5);
  const MatrixXd random = sample_region(space, 300, Values::physical, 1, "rivals");
  for (Eigen::Index i = 0; i + 3 <= 300; i += 3) CHECK(joint(random.middleRows(i, 3)) < joint(plan.points));
}

TEST_CASE("limits are obeyed and used to their edge" * doctest::test_suite("long")) {
  const Space triangle =
      cube(2, -1, 1).with({{"x1 + x2 <= 0.3", [](const double* x) { return 0.3 - x[0] - x[1]; }}});
  OptimalOptions o;
  o.terms = parse_terms(triangle, "quadratic");
  o.runs = 9;
  const Plan plan = optimal(triangle, o, 1);
  double nearest = 1;
  for (Eigen::Index i = 0; i < plan.size(); ++i) {
    CHECK(triangle.allows(plan.points.row(i).transpose()));
    nearest = std::min(nearest, triangle.margin(Eigen::VectorXd(plan.points.row(i).transpose()).data()));
  }
  CHECK(nearest < 1e-6);
  MatrixXd candidates(0, 2);  // a fine grid of the region with its edge
  for (int i = 0; i <= 40; ++i)
    for (int j = 0; j <= 40; ++j) {
      const Eigen::Vector2d x(-1 + 0.05 * i, std::min(-1 + 0.05 * j, 0.3 - (-1 + 0.05 * i)));
      if (x[1] < -1) continue;
      candidates.conservativeResize(candidates.rows() + 1, 2);
      candidates.row(candidates.rows() - 1) = x;
    }
  CHECK(d_efficiency(triangle, o.terms, plan.points) <
        continuous_bound(triangle, o.terms, candidates) * 1.0001);
  CHECK(d_efficiency(triangle, o.terms, plan.points) >
        0.93 * continuous_bound(triangle, o.terms, candidates));
}

TEST_CASE("the sweep's line for a size is the plan of that size; the suggestion leaves degrees of freedom") {
  const Space space = grid_of_three(2);
  OptimalOptions o;
  o.terms = parse_terms(space, "quadratic");
  o.restarts = 2;
  const Sweep sweep = sweep_runs(space, o, 6, 16, 9);
  CHECK(sweep.lines.size() == 11);
  for (const SweepLine& line : sweep.lines) {
    o.runs = line.runs;
    const Plan plan = optimal(space, o, 9);
    CHECK(line.d_efficiency == doctest::Approx(d_efficiency(space, o.terms, plan.points)).epsilon(1e-10));
    CHECK(line.log_det == doctest::Approx(6 * std::log(line.d_efficiency)).epsilon(1e-9));
  }
  CHECK(sweep.suggested >= 10);
  CHECK_THROWS_AS(sweep_runs(space, o, 16, 6, 9), Error);
  CHECK_THROWS_AS(sweep_runs(space, o, 3, 8, 9), Error);
}

TEST_CASE("what cannot be estimated is refused by name") {
  const Space space({levels("n", {0, 1}), continuous("x", 0, 1), choice("kind", {"red", "green"})});
  OptimalOptions o;
  o.terms = parse_terms(space, "linear + n^2");
  CHECK_THROWS_WITH_AS(optimal(space, o, 1), doctest::Contains("n^2 with 1"), Error);
  o.terms = parse_terms(space, "linear");
  o.runs = 3;
  CHECK_THROWS_WITH_AS(optimal(space, o, 1), doctest::Contains("3 runs cannot estimate 4 terms"), Error);
  CHECK_THROWS_AS(parse_terms(space, "1 + kind^2"), Error);
  CHECK_THROWS_AS(parse_criterion("E"), Error);
}

TEST_CASE("moments over the region are exact in a box and close under limits") {
  const Space space = mixed();
  const Terms terms = parse_terms(space, "quadratic");
  const MatrixXd exact = region_moments(space, terms);
  const MatrixXd x = model_matrix(space, terms, sample_region(space, 40'000, Values::physical, 1, "moments"));
  CHECK((exact - x.transpose() * x / 40'000.0).cwiseAbs().maxCoeff() < 0.04);
  const Space limited = cube(2).with({{"x1 <= x2", [](const double* p) { return p[1] - p[0]; }}});
  const MatrixXd m = region_moments(limited, parse_terms(limited, "linear"));
  CHECK(m(0, 1) == doctest::Approx(-1.0 / 3).epsilon(0.002));  // E x₁ = ⅓, coded −⅓
  CHECK(m(1, 1) == doctest::Approx(1.0 / 3).epsilon(0.002));
}

TEST_CASE("term rows are rows of the model matrix") {
  const Space space = mixed();
  const Terms terms = parse_terms(space, "cubic");
  const MatrixXd points = sample_region(space, 20, Values::settable, 1, "rows");
  const MatrixXd x = model_matrix(space, terms, points), coded = space.to_coded(points).transpose();
  const TermRows rows(space, terms);
  Eigen::VectorXd row(rows.size()), others(rows.size()), factors(rows.size());
  for (Eigen::Index i = 0; i < 20; ++i) {
    rows.fill(coded.col(i).data(), row.data());
    CHECK((row.transpose() - x.row(i)).norm() < 1e-12);
    for (Eigen::Index j = 0; j < space.size(); ++j) {
      rows.others(coded.col(i).data(), j, others.data());
      rows.factors(j, coded(j, i), factors.data());
      for (std::size_t k = 0; k < rows.with(j).size(); ++k)
        CHECK(others[Eigen::Index(k)] * factors[Eigen::Index(k)] == doctest::Approx(row[rows.with(j)[k]]));
    }
  }
}
