#include <doctest/doctest.h>

#include <Eigen/LU>
#include <renth/base/error.hpp>
#include <renth/fit/rbf_fit.hpp>
#include <renth/numeric/random.hpp>
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

/// Φ with the tail about it ((n + p)²), as textbooks write it, of extended precision if asked for.
template <class Number = double>
Eigen::Matrix<Number, Eigen::Dynamic, Eigen::Dynamic> bordered(RadialBasis basis, double shape,
                                                               double smoothing, const Eigen::MatrixXd& x,
                                                               const Eigen::MatrixXd& tail) {
  const Eigen::Index n = x.rows(), p = tail.cols();
  Eigen::Matrix<Number, Eigen::Dynamic, Eigen::Dynamic> out(n + p, n + p);
  out.setZero();
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j < n; ++j) {
      const Number r2 = (x.row(i) - x.row(j)).cast<Number>().squaredNorm(), c = shape;
      out(i, j) = basis == RadialBasis::cubic          ? r2 * std::sqrt(r2)
                  : basis == RadialBasis::thin_plate   ? (r2 > 0 ? r2 * std::log(r2) / 2 : 0)
                  : basis == RadialBasis::multiquadric ? -std::sqrt(r2 + c * c)
                                                       : std::exp(-r2 / (c * c));
    }
  for (Eigen::Index i = 0; i < n; ++i) out(i, i) += Number(smoothing);
  out.topRightCorner(n, p) = tail.cast<Number>();
  out.bottomLeftCorner(p, n) = tail.transpose().cast<Number>();
  return out;
}
}  // namespace

TEST_CASE(
    "every basis goes through the runs, and linear surfaces are met everywhere by those with a linear tail") {
  const Space space = cube(3);
  const Eigen::MatrixXd points = spread_out(space, 30, 1);
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
  const Data data = data_of(spread_out(space, 20, 3), wavy);
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
    const Eigen::MatrixXd whole = bordered(basis, 0.6, 1e-3, x, p);
    const Eigen::VectorXd w = weights(whole, y);
    const Eigen::MatrixXd inverse = whole.inverse();
    const RadialSystem system(basis, 0.6, 1e-3, x, p);
    REQUIRE(system.is_definite());
    CHECK((system.weights(y) - w).norm() < 1e-9 * w.norm());
    CHECK((system.inverse_diagonal() - inverse.diagonal().head(20)).norm() <
          1e-9 * inverse.diagonal().head(20).norm());
    for (Eigen::Index i = 0; i < 20; ++i) {
      std::vector<Eigen::Index> rest;
      for (Eigen::Index r = 0; r < 20; ++r)
        if (r != i) rest.push_back(r);
      const Eigen::MatrixXd xr = x(rest, Eigen::all), pr = p(rest, Eigen::all);
      const Eigen::VectorXd wr = weights(bordered(basis, 0.6, 1e-3, xr, pr), Eigen::VectorXd(y(rest)));
      const double predicted = whole.row(i)(rest).dot(wr.head(19)) + p.row(i).dot(wr.tail(p.cols()));
      CHECK(y[i] - predicted == doctest::Approx(w[i] / inverse(i, i)).epsilon(1e-6).scale(1e-3));
    }
  }
}

TEST_CASE("noisy runs are smoothed, repeated ones do no harm, and what cannot be carried is said") {
  const Space space = cube(2);
  Eigen::MatrixXd points = spread_out(space, 80, 4);
  points.row(1) = points.row(0);
  Stream noise(1, "noise");
  const Data data = data_of(
      points, [&](const Eigen::VectorXd& x) { return std::sin(5 * x[0]) + 0.3 * noise.normal(); }, true);
  const auto fitted = rbf_fit()(space, data, 1);
  const Data fresh = data_of(sample_region(space, 400, Values::physical, 5, "fresh"),
                             [](const Eigen::VectorXd& x) { return std::sin(5 * x[0]); });
  CHECK(std::sqrt((fitted->predict(fresh.inputs).mean - fresh.outputs).squaredNorm() / 400) < 0.2);
  CHECK(fitted->predict(points, {.variance = true}).noise_variance.minCoeff() > 0);
  const Data few = data_of(spread_out(space, 2, 1), [](const Eigen::VectorXd& x) { return x[0]; });
  CHECK_THROWS_WITH_AS(rbf_fit()(space, few, 1), doctest::Contains("too few for"), Error);
  CHECK_THROWS_WITH_AS(radial_basis_words.value("spline", "test"), doctest::Contains("thin-plate"), Error);
}

TEST_CASE("however flat a basis is, deviations are those of extended precision, or what rounding leaves") {
  using Long = Eigen::Matrix<long double, Eigen::Dynamic, Eigen::Dynamic>;
  const Space space = cube(2);
  const Eigen::MatrixXd points = spread_out(space, 12, 1),
                        at = sample_region(space, 200, Values::physical, 2, "at"),
                        x = features(space, points), z = features(space, at);
  int asked = 0, exact = 0;
  for (const RadialBasis basis : all_bases)
    for (const double shape : {0.3, 1.0, 3.0, 10.0}) {
      CAPTURE(name(basis));
      CAPTURE(shape);
      const Terms tail = parse_terms(space, basis == RadialBasis::gaussian ? "1" : "linear");
      const Eigen::MatrixXd p = model_matrix(space, tail, points),
                            t = model_matrix(space, tail, at).transpose(),
                            k = radial_matrix(basis, shape, x, z);
      const RadialSystem system(basis, shape, 0, x, p);
      if (!system.is_definite()) continue;
      const Eigen::VectorXd found = system.variances(k, t);
      const Eigen::FullPivLU<Long> lu(bordered<long double>(basis, shape, 0, x, p));
      if (lu.rcond() < 1e-14L) continue;
      Eigen::MatrixXd xz(x.rows() + 1, x.cols()), pz(x.rows() + 1, p.cols());
      xz.topRows(x.rows()) = x;
      pz.topRows(x.rows()) = p;
      for (Eigen::Index i = 0; i < at.rows(); ++i) {
        xz.bottomRows(1) = z.row(i);
        pz.bottomRows(1) = t.col(i).transpose();
        const Long whole = bordered<long double>(basis, shape, 0, xz, pz);
        Long right(12 + p.cols(), 1);
        right << whole.col(12).head(12), whole.row(12).tail(p.cols()).transpose();
        const auto truth = double(whole(12, 12) - (right.transpose() * lu.solve(right))(0, 0));
        ++asked;
        exact += std::abs(found[i] / truth - 1) < 1e-3;
        CHECK(found[i] > 0);
        CHECK(found[i] > 0.5 * truth);
      }
    }
  CHECK(asked >= 2000);
  CHECK(exact >= 0.95 * asked);
}

TEST_CASE(
    "a basis that is nearly flat is not taken, and deviations stay between the runs' and the spread's") {
  // Two valleys and a slope, as a nearly flat Gaussian likes them.
  const Space space({continuous("x1", -5, 10), continuous("x2", 0, 15)});
  for (Seed seed = 1; seed <= 20; ++seed) {
    const Data data = data_of(spread_out(space, 12, seed), [](const Eigen::VectorXd& x) {
      return std::pow(x[1] - 0.13 * x[0] * x[0] + 1.6 * x[0] - 6, 2) + 9.6 * std::cos(x[0]);
    });
    const auto fitted = rbf_fit()(space, data, seed);
    const auto& state = static_cast<const Rbf&>(*fitted).state();
    const double spread = std::sqrt((data.outputs.array() - data.outputs.mean()).square().mean());
    CHECK(state.weights.head(12).cwiseAbs().sum() * 2.2e-16 < 1e-10 * spread);
    const Eigen::MatrixXd at = sample_region(space, 500, Values::physical, seed, "at");
    const Eigen::VectorXd deviation = fitted->predict(at, {.variance = true}).model_variance.cwiseSqrt();
    CHECK(deviation.minCoeff() > 0);
    CHECK(deviation.maxCoeff() < 20 * spread);
    const Eigen::MatrixXd joint = fitted->covariance(at.topRows(20), 0);
    CHECK((joint.diagonal() - deviation.head(20).cwiseAbs2()).norm() < 1e-6 * joint.diagonal().norm());
  }
}
