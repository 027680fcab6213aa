#include <doctest/doctest.h>

#include <renth/fit/chaos_fit.hpp>
#include <renth/fit/convex_weights.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/surrogate/blend.hpp>
#include <renth/surrogate/chaos.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

TEST_CASE("convex weights are the best on the whole simplex") {
  Stream stream(1, "errors");
  for (int trial = 0; trial < 10; ++trial) {
    Eigen::MatrixXd errors(30, 3);
    for (double& v : errors.reshaped()) v = stream.normal();
    errors.col(1) *= 0.7;
    errors.col(2) = 0.5 * errors.col(1) + 0.6 * errors.col(2);
    const Eigen::VectorXd w = convex_weights(errors);
    CHECK(w.sum() == doctest::Approx(1));
    CHECK(w.minCoeff() >= 0);
    double least = 1e300;
    for (int a = 0; a <= 60; ++a)
      for (int b = 0; a + b <= 60; ++b)
        least = std::min(least, (errors * (Eigen::Vector3d(a, b, 60 - a - b) / 60)).squaredNorm());
    CHECK((errors * w).squaredNorm() <= least * (1 + 1e-3));
  }
  Eigen::MatrixXd one(5, 2);
  one.col(0).setConstant(NAN);
  one.col(1).setOnes();
  CHECK(convex_weights(one)[1] == 1);
}

TEST_CASE("a blend is the weighted mean, less sure where its members disagree") {
  const Space space = cube(2);
  const Data data =
      data_of(spread_out(space, 30, 2), [](const Eigen::VectorXd& x) { return std::sin(5 * x[0]) + x[1]; });
  const std::shared_ptr<const Surrogate> a = kriging_fit({.kernel = Kernel::matern52})(space, data, 1),
                                         b = chaos_fit()(space, data, 1);
  const Blend blend({a, b}, Eigen::Vector2d(0.3, 0.7));
  Eigen::MatrixXd at(2, 2);
  at << 0.2, 0.9, 1.4, 1.3;  // the second far outside, where they differ
  const Prediction p = blend.predict(at, {.variance = true, .gradient = true});
  const Prediction pa = a->predict(at, {.variance = true, .gradient = true}),
                   pb = b->predict(at, {.variance = true, .gradient = true});
  for (int i = 0; i < 2; ++i) {
    const double mean = 0.3 * pa.mean(i, 0) + 0.7 * pb.mean(i, 0);
    CHECK(p.mean(i, 0) == doctest::Approx(mean));
    CHECK(p.model_variance(i, 0) ==
          doctest::Approx(0.3 * (pa.model_variance(i, 0) + std::pow(pa.mean(i, 0) - mean, 2)) +
                          0.7 * (pb.model_variance(i, 0) + std::pow(pb.mean(i, 0) - mean, 2))));
    CHECK(blend.covariance(at, 0)(i, i) == doctest::Approx(p.model_variance(i, 0)).epsilon(1e-6));
  }
  CHECK((p.mean_gradient[0] - 0.3 * pa.mean_gradient[0] - 0.7 * pb.mean_gradient[0]).norm() < 1e-12);
}
