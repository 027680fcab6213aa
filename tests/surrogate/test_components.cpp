#include <doctest/doctest.h>

#include <renth/base/error.hpp>
#include <renth/fit/along_components.hpp>
#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/curve_shapes.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/components.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// Curves of nine points made of two shapes, whose amounts depend on the parameters.
Data curves(const Space& space, int runs) {
  Data data{spread_out(space, runs, 1), Eigen::MatrixXd(runs, 9), {}, false};
  for (Eigen::Index i = 0; i < runs; ++i)
    for (Eigen::Index k = 0; k < 9; ++k)
      data.outputs(i, k) = 100 + data.inputs(i, 0) * data.inputs(i, 1) * std::sin(0.4 * double(k)) * 5 +
                           (1 + data.inputs(i, 1)) * double(k);
  return data;
}

}  // namespace

TEST_CASE("curves made of two shapes are told by two, exactly") {
  const Space space = cube(2);
  const Data data = curves(space, 30);
  const CurveShapes shapes = curve_shapes(data.outputs, 0.999999999, 8);
  CHECK(shapes.shapes.cols() == 2);
  CHECK(shapes.share > 0.999999999);
  CHECK((shapes.shapes.transpose() * shapes.shapes - Eigen::Matrix2d::Identity()).norm() < 1e-10);
  const Eigen::MatrixXd made =
      ((shapes.scores * shapes.shapes.transpose()) * shapes.scale.asDiagonal()).rowwise() +
      shapes.mean.transpose();
  CHECK((made - data.outputs).cwiseAbs().maxCoeff() < 1e-9);
  CHECK(shapes.left_over.maxCoeff() < 1e-15);
}

TEST_CASE("missing axis points are filled by what the shapes say") {
  const Space space = cube(2);
  Data data = curves(space, 30);
  const Eigen::MatrixXd full = data.outputs;
  for (int i = 0; i < 30; i += 3) data.outputs(i, (i * 5) % 9) = NAN;
  const CurveShapes shapes = curve_shapes(data.outputs, 0.999999, 2);
  const Eigen::MatrixXd made =
      ((shapes.scores * shapes.shapes.transpose()) * shapes.scale.asDiagonal()).rowwise() +
      shapes.mean.transpose();
  CHECK((made - full).cwiseAbs().maxCoeff() < 1e-4);

  const auto fitted = along_components({chaos_fit()})(space, data, 1);
  const Data fresh = [&] {
    Data d = curves(space, 25);
    return d;
  }();
  const Prediction p = fitted->predict(fresh.inputs, {.variance = true});
  CHECK((p.mean - fresh.outputs).cwiseAbs().maxCoeff() < 0.05);
  CHECK(p.model_variance.minCoeff() >= 0);
}

TEST_CASE("the variance along a curve carries each score's, and what the shapes leave over") {
  const Space space = cube(2);
  Data data = curves(space, 25);
  Stream noise(2, "ripple");
  for (double& v : data.outputs.reshaped()) v += 0.05 * noise.normal();
  const auto fitted = along_components({kriging_fit({.kernel = Kernel::matern52})}, 0.99)(space, data, 1);
  const auto& state = static_cast<const Components&>(*fitted).state();
  const Eigen::MatrixXd at = sample_region(space, 4, Values::physical, 3, "at");
  const Prediction p = fitted->predict(at, {.variance = true, .gradient = true});
  for (Eigen::Index k = 0; k < 9; ++k) {
    double expected = state.left_over[k];
    for (std::size_t s = 0; s < state.scores.size(); ++s)
      expected += std::pow(state.scale[k] * state.shapes(k, Eigen::Index(s)), 2) *
                  state.scores[s]->predict(at.topRows(1), {.variance = true}).model_variance(0, 0);
    CHECK(p.model_variance(0, k) == doctest::Approx(expected).epsilon(1e-10));
    CHECK(fitted->covariance(at, k)(0, 0) == doctest::Approx(expected).epsilon(1e-6));
  }
  REQUIRE(p.mean_gradient.size() == 9);
  Eigen::MatrixXd up = at, down = at;
  up.col(1).array() += 1e-6;
  down.col(1).array() -= 1e-6;
  const Eigen::MatrixXd slope = (fitted->predict(up).mean - fitted->predict(down).mean) / 2e-6;
  CHECK(slope(2, 7) == doctest::Approx(p.mean_gradient[7](2, 1)).epsilon(1e-3).scale(0.1));
}

TEST_CASE("an axis point that hardly any run has, and curves that never vary, are refused") {
  Eigen::MatrixXd y = Eigen::MatrixXd::Random(6, 3);
  y.col(1).tail(5).setConstant(NAN);
  CHECK_THROWS_WITH_AS(curve_shapes(y, 0.99, 3), doctest::Contains("axis point 2"), Error);
  CHECK_THROWS_WITH_AS(curve_shapes(Eigen::MatrixXd::Ones(6, 3), 0.99, 3),
                       doctest::Contains("same in every run"), Error);
}
