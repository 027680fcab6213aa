#include <doctest/doctest.h>

#include <Eigen/LU>
#include <Eigen/QR>
#include <renth/base/error.hpp>
#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/least_angles.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/data.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("chaos polynomials are orthonormal over spans, levels and choices") {
  const Space space({continuous("a", -3, 7), levels("n", {0, 1, 4, 9}), choice("c", {"x", "y", "z"})});
  std::vector<ChaosTerm> terms = {{}};
  for (int p = 1; p <= 4; ++p) terms.push_back({{{0, p}}});
  for (int p = 1; p <= 3; ++p) terms.push_back({{{1, p}}});
  for (int k = 1; k <= 2; ++k) terms.push_back({{{2, k}}});
  terms.push_back({{{0, 2}, {1, 1}, {2, 2}}});
  // Gauss–Legendre with ten points is exact here; levels and choices are all taken.
  const double x[] = {0.1488743389816312, 0.4333953941292472, 0.6794095682990244, 0.8650633666889845,
                      0.9739065285171717},
               w[] = {0.2955242247147529, 0.2692667193099963, 0.2190863625159821, 0.1494513491505806,
                      0.0666713443086881};
  Eigen::MatrixXd points(10 * 4 * 3, 3);
  Eigen::VectorXd weight(points.rows());
  Eigen::Index row = 0;
  for (int g = 0; g < 10; ++g)
    for (const double n : {0.0, 1.0, 4.0, 9.0})
      for (int c = 0; c < 3; ++c) {
        points.row(row) << 2 + 5 * (g < 5 ? x[g] : -x[g - 5]), n, c;
        weight[row++] = 0.5 * w[g % 5] / 12;
      }
  const Eigen::MatrixXd psi = chaos_matrix(space, terms, points);
  const Eigen::MatrixXd gram = psi.transpose() * weight.asDiagonal() * psi;
  CHECK((gram - Eigen::MatrixXd::Identity(gram.rows(), gram.cols())).cwiseAbs().maxCoeff() < 1e-10);
}

TEST_CASE("the corrected error along the path is that of refits without each run") {
  Stream stream(3, "columns");
  Eigen::MatrixXd columns(25, 6);
  for (double& v : columns.reshaped()) v = stream.normal();
  Eigen::VectorXd y = columns.col(2) * 3 - columns.col(4) * 2 + columns.col(0);
  for (double& v : y) v += 0.3 * stream.normal();
  const LeastAnglePath path = least_angles(columns, y, 6);
  REQUIRE(path.order.size() >= 3);
  CHECK(path.order[0] == 2);  // the most correlated column comes first
  for (std::size_t k = 0; k < path.error.size(); ++k) {
    Eigen::MatrixXd x = Eigen::MatrixXd::Ones(25, Eigen::Index(k) + 1);
    for (std::size_t i = 0; i < k; ++i) x.col(Eigen::Index(i) + 1) = columns.col(path.order[i]);
    double sum = 0;
    for (Eigen::Index i = 0; i < 25; ++i) {
      std::vector<Eigen::Index> rest;
      for (Eigen::Index r = 0; r < 25; ++r)
        if (r != i) rest.push_back(r);
      const Eigen::VectorXd beta =
          Eigen::MatrixXd(x(rest, Eigen::all)).colPivHouseholderQr().solve(Eigen::VectorXd(y(rest)));
      sum += std::pow(y[i] - x.row(i).dot(beta), 2);
    }
    const double terms = double(k) + 1;
    const double correction = 25 / (25 - terms) * (1 + (x.transpose() * x).inverse().trace());
    CHECK(path.error[k] == doctest::Approx(sum / 25 * correction).epsilon(1e-9));
  }
}

TEST_CASE(
    "least angles takes orthogonal columns up by the size of their effect, and stops at dependent ones") {
  Eigen::MatrixXd h(8, 4);
  for (int i = 0; i < 8; ++i)
    h.row(i) << (i & 1 ? 1 : -1), (i & 2 ? 1 : -1), (i & 4 ? 1 : -1), (i & 1 ? 1 : -1);
  const Eigen::VectorXd y = 1 * h.col(0) + 5 * h.col(1) + 3 * h.col(2) + Eigen::VectorXd::Constant(8, 9);
  const LeastAnglePath path = least_angles(h, y, 4);
  REQUIRE(path.order.size() == 3);
  CHECK(path.order[0] == 1);
  CHECK(path.order[1] == 2);
  CHECK((path.order[2] == 0 || path.order[2] == 3));
}

TEST_CASE("a sparse polynomial is found exactly, whatever its scale") {
  const Space space = cube(8, -4, 10);
  const auto f = [](const Eigen::VectorXd& x) {
    return 1e6 + x[0] * x[0] * x[0] - 4 * x[2] * x[5] + 2 * x[7];
  };
  const auto fitted = chaos_fit()(space, data_of(spread_out(space, 60, 1), f), 1);
  const Data fresh = data_of(sample_region(space, 200, Values::physical, 2, "fresh"), f);
  CHECK((fitted->predict(fresh.inputs).mean - fresh.outputs).cwiseAbs().maxCoeff() < 1e-5);
}

TEST_CASE("Ishigami's function is followed by few terms where kriging needs many runs" *
          doctest::test_suite("long")) {
  const Space space = cube(3, -M_PI, M_PI);
  const auto f = [](const Eigen::VectorXd& x) { return ishigami(x[0], x[1], x[2]); };
  const auto fitted = chaos_fit()(space, data_of(spread_out(space, 90, 4), f), 1);
  const Data fresh = data_of(sample_region(space, 1000, Values::physical, 3, "fresh"), f);
  const Prediction p = fitted->predict(fresh.inputs, {.variance = true});
  const double sst = (fresh.outputs.array() - fresh.outputs.mean()).square().sum();
  CHECK((p.mean - fresh.outputs).squaredNorm() < 0.01 * sst);
  CHECK(p.noise_variance.maxCoeff() == 0);  // an exact solver: what is left is error of the model
}

TEST_CASE("noise is stated as noise, of about the right size") {
  const Space space = cube(2);
  Stream noise(5, "noise");
  const auto f = [&](const Eigen::VectorXd& x) { return x[0] + x[1] * x[1] + 0.2 * noise.normal(); };
  const auto fitted = chaos_fit()(space, data_of(spread_out(space, 150, 5), f, true), 1);
  const Prediction p = fitted->predict(Eigen::MatrixXd::Constant(1, 2, 0.5), {.variance = true});
  CHECK(std::sqrt(p.noise_variance(0, 0)) == doctest::Approx(0.2).epsilon(0.25));
}

TEST_CASE("too few runs, NaN and a constant response are refused") {
  const Space space = cube(2);
  Data data = data_of(spread_out(space, 3, 1), [](const Eigen::VectorXd& x) { return x[0]; });
  CHECK_THROWS_WITH_AS(chaos_fit()(space, data, 1), doctest::Contains("at least four"), Error);
  data = data_of(spread_out(space, 9, 1), [](const Eigen::VectorXd&) { return 2.0; });
  CHECK_THROWS_WITH_AS(chaos_fit()(space, data, 1), doctest::Contains("same in every run"), Error);
  data.outputs(0, 0) = NAN;
  CHECK_THROWS_WITH_AS(chaos_fit()(space, data, 1), doctest::Contains("finite"), Error);
}
