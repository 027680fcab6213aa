#include <doctest/doctest.h>

#include <Eigen/LU>
#include <renth/base/error.hpp>
#include <renth/fit/rbf_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/rbf.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
const RadialBasis all_bases[] = {RadialBasis::cubic, RadialBasis::thin_plate, RadialBasis::multiquadric,
                                 RadialBasis::gaussian};
double wavy(const Eigen::VectorXd& x) {
  return std::sin(4 * x[0]) + x[1] * x[2];
}
}  // namespace

TEST_CASE(
    "every basis goes through the runs, and linear surfaces are met everywhere by those with a linear tail") {
  const Space space = cube(3);
  const Eigen::MatrixXd points = latin_hypercube(space, {.runs = 30}, 1).points;
  const Eigen::MatrixXd at = sample_region(space, 50, Values::physical, 2, "at");
  for (const RadialBasis basis : all_bases) {
    CAPTURE(name(basis));
    RbfOptions options;
    options.bases = {basis};
    const Data data = data_of(points, wavy);
    const auto fitted = rbf_fit(options)(space, data, 1);
    const Prediction here = fitted->predict(points, {.variance = true});
    CHECK((here.mean - data.outputs).cwiseAbs().maxCoeff() < 1e-6);
    CHECK(here.model_variance.maxCoeff() <
          1e-4 * fitted->predict(at, {.variance = true}).model_variance.mean());
    if (basis == RadialBasis::gaussian) continue;
    const auto plane = [](const Eigen::VectorXd& x) { return 3 - x[0] + 2 * x[1] + 0.5 * x[2]; };
    const auto linear = rbf_fit(options)(space, data_of(points, plane), 1);
    CHECK((linear->predict(at).mean - data_of(at, plane).outputs).cwiseAbs().maxCoeff() < 1e-8);
  }
}

TEST_CASE("errors left out in closed form are those of refits") {
  const Space space = cube(3);
  const Data data = data_of(latin_hypercube(space, {.runs = 20}, 3).points, wavy);
  for (const RadialBasis basis : all_bases) {
    CAPTURE(name(basis));
    const Terms tail = parse_terms(space, basis == RadialBasis::gaussian ? "1" : "linear");
    const Eigen::MatrixXd x = features(space, data.inputs), p = model_matrix(space, tail, data.inputs);
    const auto weights = [&](const Eigen::MatrixXd& a, const Eigen::VectorXd& y) {
      Eigen::VectorXd right = Eigen::VectorXd::Zero(a.rows());
      right.head(y.size()) = y;
      return Eigen::VectorXd(a.fullPivLu().solve(right));
    };
    const Eigen::VectorXd y = data.outputs.col(0);
    const Eigen::MatrixXd whole = bordered_matrix(basis, 0.6, 1e-3, x, p);
    const Eigen::VectorXd w = weights(whole, y);
    const Eigen::MatrixXd inverse = whole.inverse();
    for (Eigen::Index i = 0; i < 20; ++i) {
      std::vector<Eigen::Index> rest;
      for (Eigen::Index r = 0; r < 20; ++r)
        if (r != i) rest.push_back(r);
      const Eigen::MatrixXd xr = x(rest, Eigen::all), pr = p(rest, Eigen::all);
      const Eigen::VectorXd wr = weights(bordered_matrix(basis, 0.6, 1e-3, xr, pr), Eigen::VectorXd(y(rest)));
      Eigen::ArrayXXd phi = (xr.rowwise() - x.row(i)).rowwise().squaredNorm();
      radial(basis, 0.6, phi);
      const double predicted = phi.matrix().col(0).dot(wr.head(19)) + p.row(i).dot(wr.tail(p.cols()));
      CHECK(y[i] - predicted == doctest::Approx(w[i] / inverse(i, i)).epsilon(1e-6).scale(1e-3));
    }
  }
}

TEST_CASE("noisy runs are smoothed, repeated ones do no harm, and what cannot be carried is said") {
  const Space space = cube(2);
  Eigen::MatrixXd points = latin_hypercube(space, {.runs = 80}, 4).points;
  points.row(1) = points.row(0);
  Stream noise(1, "noise");
  const Data data = data_of(
      points, [&](const Eigen::VectorXd& x) { return std::sin(5 * x[0]) + 0.3 * noise.normal(); }, true);
  const auto fitted = rbf_fit()(space, data, 1);
  const Data fresh = data_of(sample_region(space, 400, Values::physical, 5, "fresh"),
                             [](const Eigen::VectorXd& x) { return std::sin(5 * x[0]); });
  CHECK(std::sqrt((fitted->predict(fresh.inputs).mean - fresh.outputs).squaredNorm() / 400) < 0.2);
  CHECK(fitted->predict(points, {.variance = true}).noise_variance.minCoeff() > 0);
  const Data few =
      data_of(latin_hypercube(space, {.runs = 2}, 1).points, [](const Eigen::VectorXd& x) { return x[0]; });
  CHECK_THROWS_WITH_AS(rbf_fit()(space, few, 1), doctest::Contains("too few for"), Error);
  CHECK_THROWS_WITH_AS(radial_basis_words.value("spline", "test"), doctest::Contains("thin-plate"), Error);
}
