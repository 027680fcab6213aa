#include <doctest/doctest.h>

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/layered_kriging_fit.hpp>
#include <renth/fit/nearest_kriging_fit.hpp>
#include <renth/fit/vecchia.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/plan/sobol.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <renth/surrogate/nearest_kriging.hpp>
#include <renth/surrogate/process.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
double surface(const Eigen::VectorXd& x) {
  return std::sin(6 * x[0]) * std::cos(4 * x[1]) + x[2];
}

VecchiaLikelihood vecchia_of(const Space& space, const Data& data, Kernel kernel, int most) {
  std::vector<int> terms;
  std::vector<std::vector<int>> given;
  for (int i = 0; i < int(data.size()); ++i) {
    terms.push_back(i);
    given.emplace_back();
    for (int j = std::max(0, i - most); j < i; ++j) given.back().push_back(j);
  }
  const Eigen::VectorXd y = data.outputs.col(0);
  return {kernel, features(space, data.inputs), feature_lengths(space), y.array() - y.mean(), terms, given};
}
}  // namespace

TEST_CASE("given all runs before, Vecchia's likelihood is the Gaussian one") {
  const Space space = cube(3);
  const Data data = data_of(scrambled_sobol_points(40, 3, 1, "v"), surface);
  for (const Kernel kernel : {Kernel::matern52, Kernel::product52}) {
    VecchiaLikelihood vecchia = vecchia_of(space, data, kernel, 1000);
    Eigen::VectorXd t(4);
    t << -0.4, 0.2, 0.7, -5;
    const double value = vecchia(t, nullptr);
    // ln det K and rᵀK⁻¹r with the mean taken as known.
    Eigen::MatrixXd x = features(space, data.inputs), k;
    for (int f = 0; f < 3; ++f) x.col(f) /= std::exp(t[f]);
    correlation_matrix(kernel, x, std::exp(t[3]), k);
    const Eigen::MatrixXd full = k.selfadjointView<Eigen::Lower>();
    const Eigen::LLT<Eigen::MatrixXd> llt(full);
    const Eigen::VectorXd r = data.outputs.col(0).array() - data.outputs.mean();
    const double log_det = 2 * llt.matrixLLT().diagonal().array().log().sum(), s2 = r.dot(llt.solve(r)) / 40;
    CHECK(vecchia.sigma2() == doctest::Approx(s2).epsilon(1e-9));
    CHECK(value == doctest::Approx(0.5 * (40 * std::log(s2) + log_det)).epsilon(1e-9));
  }
}

TEST_CASE("its gradient agrees with differences") {
  const Space space = mixed();
  const Data data = data_of(sample_region(space, 60, Values::physical, 2, "runs"),
                            [](const Eigen::VectorXd& x) { return x[0] * x[1] + std::sin(x[2]) + x[3]; });
  for (const Kernel kernel : {Kernel::gaussian, Kernel::matern32, Kernel::product52}) {
    VecchiaLikelihood vecchia = vecchia_of(space, data, kernel, 12);
    const int lengths = feature_lengths(space).back() + 1;
    Eigen::VectorXd t = Eigen::VectorXd::LinSpaced(lengths + 1, -0.5, 0.6), gradient;
    t[lengths] = -4;
    vecchia(t, &gradient);
    for (Eigen::Index k = 0; k < t.size(); ++k) {
      Eigen::VectorXd up = t, down = t;
      up[k] += 1e-5;
      down[k] -= 1e-5;
      CHECK(gradient[k] ==
            doctest::Approx((vecchia(up, nullptr) - vecchia(down, nullptr)) / 2e-5).epsilon(1e-4).scale(1));
    }
  }
}

TEST_CASE("from its nearest runs a prediction is as good as from all, with its own joint errors") {
  const Space space = cube(3);
  const Data data = data_of(scrambled_sobol_points(1200, 3, 3, "runs"), surface);
  KrigingOptions options;
  options.kernel = Kernel::matern52;
  const auto near = nearest_kriging_fit(options)(space, data, 1);
  const Data fresh = data_of(scrambled_sobol_points(300, 3, 4, "fresh"), surface);
  const Prediction p = near->predict(fresh.inputs, {.variance = true, .gradient = true});
  CHECK(std::sqrt((p.mean - fresh.outputs).squaredNorm() / 300) < 0.01);
  const Intervals bounds = near->intervals(p, 0.95);
  CHECK((fresh.outputs.array() >= bounds.prediction_low.array() &&
         fresh.outputs.array() <= bounds.prediction_high.array())
            .count() > 270);
  const Eigen::MatrixXd at = fresh.inputs.topRows(20);
  const Eigen::MatrixXd joint = near->covariance(at, 0);
  CHECK((joint.diagonal() - p.model_variance.topRows(20)).cwiseAbs().maxCoeff() <
        1e-9 * p.model_variance.maxCoeff());
  CHECK(joint.selfadjointView<Eigen::Lower>().eigenvalues().minCoeff() > -1e-3 * joint.diagonal().maxCoeff());
  Eigen::MatrixXd up = at, down = at;
  up.col(0).array() += 1e-6;
  down.col(0).array() -= 1e-6;
  const Eigen::VectorXd slope = (near->predict(up).mean - near->predict(down).mean) / 2e-6;
  CHECK((slope - p.mean_gradient[0].col(0).head(20)).cwiseAbs().maxCoeff() < 0.05);
}

TEST_CASE("two layers err less than either alone, and their slopes and errors are those of both") {
  const Space space = cube(3);
  const Data data = data_of(scrambled_sobol_points(6000, 3, 3, "runs"), surface),
             fresh = data_of(scrambled_sobol_points(500, 3, 4, "fresh"), surface);
  const auto fitted = layered_kriging_fit({.kernel = Kernel::matern52})(space, data, 1);
  const auto& layered = dynamic_cast<const Layered&>(*fitted);
  const auto error = [&](const Surrogate& s) {
    return (s.predict(fresh.inputs).mean - fresh.outputs).norm();
  };
  CHECK(error(layered) < 0.9 * error(layered.base()));
  CHECK(error(layered) < 0.5 * error(*nearest_kriging_fit({.kernel = Kernel::matern52})(space, data, 1)));
  const Prediction p = layered.predict(fresh.inputs, {.variance = true, .gradient = true});
  const Intervals bounds = layered.intervals(p, 0.95);
  CHECK((fresh.outputs.array() >= bounds.prediction_low.array() &&
         fresh.outputs.array() <= bounds.prediction_high.array())
            .count() > 450);
  Eigen::MatrixXd up = fresh.inputs.topRows(20), down = up;
  CHECK((layered.covariance(up, 0).diagonal() - p.model_variance.topRows(20)).cwiseAbs().maxCoeff() <
        1e-9 * p.model_variance.maxCoeff());
  up.col(1).array() += 1e-5;
  down.col(1).array() -= 1e-5;
  const Eigen::VectorXd slope = (layered.predict(up).mean - layered.predict(down).mean) / 2e-5;
  CHECK((slope - p.mean_gradient[0].col(1).head(20)).cwiseAbs().maxCoeff() < 1e-2);
  const auto same = load_surrogate(layered.save());
  CHECK(same->predict(fresh.inputs).mean == p.mean);
  // A fold keeps both layers' lengths.
  std::vector<Eigen::Index> rows;
  for (Eigen::Index i = 0; i < data.size(); ++i)
    if (i % 10 != 0) rows.push_back(i);
  const auto again = kriging_again({}, layered)(space, data.rows(rows), 1);
  const auto& then = dynamic_cast<const Layered&>(*again);
  CHECK(likeliest_process(then)->theta == likeliest_process(layered)->theta);
  CHECK(likeliest_process(then.rest())->theta == likeliest_process(layered.rest())->theta);
  CHECK(error(then) < 2 * error(layered));
}

TEST_CASE("beyond the dense limit kriging goes by two layers, the same on any number of threads" *
          doctest::test_suite("long")) {
  const Space space = cube(3);
  const Data data = data_of(scrambled_sobol_points(50'000, 3, 5, "many"), surface);
  const Eigen::MatrixXd at = scrambled_sobol_points(200, 3, 6, "at");
  const auto run = [&](int threads) {
    const ParallelLimit limit(threads);
    return predict_in_blocks(*kriging_fit({.kernel = Kernel::matern52})(space, data, 1), at,
                             {.variance = true}, parallel_for);
  };
  const Prediction one = run(1), two = run(2);
  CHECK(one.mean == two.mean);
  CHECK(one.model_variance == two.model_variance);
  CHECK((one.mean - data_of(at, surface).outputs).cwiseAbs().maxCoeff() < 1e-4);
}
