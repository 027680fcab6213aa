#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/warped_fit.hpp>
#include <renth/numeric/random.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/warped.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// Steep in one corner, as a product of powers is.
double product(const Eigen::VectorXd& x) {
  return std::exp(3 * x[0] - 2 * x[1] + std::sin(3 * x[2]));
}

double rmse(const Surrogate& s, const Data& fresh) {
  return std::sqrt((s.predict(fresh.inputs).mean - fresh.outputs).squaredNorm() / double(fresh.size()));
}

}  // namespace

TEST_CASE("a product is met better on a logarithmic scale, and its mirror image as well") {
  const Space space = cube(3);
  const Data fresh = data_of(sample_region(space, 500, Values::physical, 9, "fresh"), product);
  for (Seed seed = 1; seed <= 5; ++seed) {
    const Data data = data_of(spread_out(space, 30, seed), product);
    const auto warped = warped_kriging_fit()(space, data, seed), plain = kriging_fit()(space, data, seed);
    CHECK(rmse(*warped, fresh) < 0.4 * rmse(*plain, fresh));
    CHECK(dynamic_cast<const Warped&>(*warped).scale().sign == 1);
    Data mirrored = data;
    mirrored.outputs = -data.outputs;
    const auto other = warped_kriging_fit()(space, mirrored, seed);
    CHECK(dynamic_cast<const Warped&>(*other).scale().sign == -1);
    const Prediction p = warped->predict(fresh.inputs, {.variance = true}),
                     q = other->predict(fresh.inputs, {.variance = true});
    CHECK((p.mean + q.mean).norm() < 1e-9 * p.mean.norm());
    const Intervals a = warped->intervals(p, 0.9), b = other->intervals(q, 0.9);
    CHECK((a.prediction_low + b.prediction_high).norm() < 1e-9 * a.prediction_low.norm());
    CHECK((a.confidence_high + b.confidence_low).norm() < 1e-9 * a.confidence_high.norm());
  }
}

TEST_CASE("sums are left as they are") {
  const Space space = cube(3);
  int taken = 0;
  for (Seed seed = 1; seed <= 20; ++seed) {
    const Data data = data_of(spread_out(space, 30, seed), [](const Eigen::VectorXd& x) {
      return std::sin(6 * x[0]) + std::cos(5 * x[1]) - x[2];
    });
    try {
      warped_kriging_fit()(space, data, seed);
      ++taken;
    } catch (const Error& error) {
      CHECK(dynamic_cast<const Unneeded*>(&error));
      CHECK(std::string(error.what()).find("clearly likelier") != std::string::npos);
    }
  }
  CHECK(taken <= 1);
}

TEST_CASE("intervals of a scale are those of the logarithm carried back, and hold as often as they say") {
  const Space space = cube(3);
  Stream noise(3, "noise");
  double inside = 0;
  constexpr int sets = 20;
  for (Seed seed = 1; seed <= sets; ++seed) {
    const auto scattered = [&](const Eigen::VectorXd& x) {
      return product(x) * std::exp(0.1 * noise.normal());
    };
    const Data data = data_of(spread_out(space, 40, seed), scattered, true);
    const auto fitted = warped_kriging_fit()(space, data, seed);
    const auto& warped = dynamic_cast<const Warped&>(*fitted);
    const Data fresh = data_of(sample_region(space, 300, Values::physical, seed, "fresh"), scattered, true);
    const Prediction y = fitted->predict(fresh.inputs, {.variance = true}),
                     z = warped.inner().predict(fresh.inputs, {.variance = true});
    const Intervals own = fitted->intervals(y, 0.95), logs = warped.inner().intervals(z, 0.95);
    for (Eigen::Index i = 0; i < fresh.size(); ++i) {
      CHECK(own.prediction_low(i, 0) ==
            doctest::Approx(warped.scale().back(logs.prediction_low(i, 0))).epsilon(1e-6));
      CHECK(own.confidence_high(i, 0) ==
            doctest::Approx(warped.scale().back(logs.confidence_high(i, 0))).epsilon(1e-6));
      inside +=
          fresh.outputs(i, 0) >= own.prediction_low(i, 0) && fresh.outputs(i, 0) <= own.prediction_high(i, 0);
    }
  }
  inside /= sets * 300;
  MESSAGE("95 % intervals hold ", inside);
  CHECK(inside > 0.92);
  CHECK(inside < 0.985);
}

TEST_CASE("slopes, joint covariance and the stored form of a scale") {
  const Space space = cube(3);
  const Data data = data_of(spread_out(space, 30, 2), product);
  const auto fitted = warped_kriging_fit({.draws = 6})(space, data, 1);
  const Eigen::MatrixXd at = sample_region(space, 15, Values::physical, 4, "at");
  const Prediction p = fitted->predict(at, {.variance = true, .gradient = true});
  for (Eigen::Index j = 0; j < 3; ++j) {
    Eigen::MatrixXd up = at, down = at;
    up.col(j).array() += 1e-5;
    down.col(j).array() -= 1e-5;
    const Eigen::VectorXd slope = (fitted->predict(up).mean - fitted->predict(down).mean) / 2e-5;
    CHECK((slope - p.mean_gradient[0].col(j)).norm() < 1e-4 * slope.norm());
  }
  CHECK((fitted->covariance(at, 0).diagonal() - p.model_variance).norm() < 1e-6 * p.model_variance.norm());
  const auto again = load_surrogate(fitted->save());
  CHECK(again->predict(at).mean == p.mean);
  CHECK(again->save().bytes == fitted->save().bytes);
  CHECK(describe_fit(*again).rfind("ln(y ", 0) == 0);
  // Without the lowest run the scale still takes it.
  Eigen::Index lowest = 0;
  data.outputs.col(0).minCoeff(&lowest);
  std::vector<Eigen::Index> rest;
  for (Eigen::Index i = 0; i < data.size(); ++i)
    if (i != lowest) rest.push_back(i);
  const auto without = warped_kriging_again({.draws = 6}, *fitted)(space, data.rows(rest), 1);
  CHECK(without->predict(data.inputs.row(lowest)).mean(0, 0) ==
        doctest::Approx(data.outputs(lowest, 0)).epsilon(0.5));
}

TEST_CASE(
    "a scale that was chosen is taken for a learning curve, and one that is not asked for is no candidate") {
  const Space space = cube(3);
  const Data data = data_of(spread_out(space, 40, 3), product);
  const FittedResponse chosen = fit_response(space, data, {.kind = "kriging"});
  const auto scaled = [](const Tried& t) {
    return t.settings.find("logarithmic scale") != std::string::npos;
  };
  CHECK(std::count_if(chosen.tried.begin(), chosen.tried.end(), scaled) >= 1);
  REQUIRE(chosen.settings.find("logarithmic scale") != std::string::npos);
  std::vector<Eigen::Index> some;
  for (Eigen::Index i = 0; i < 40; i += 3) some.push_back(i);
  const Fit same = fit_as_chosen(space, data, chosen.tried, chosen.settings, {}, *chosen.surrogate);
  CHECK(dynamic_cast<const Warped*>(same(space, data.rows(some), 1).get()));
  const Data sum = data_of(data.inputs, [](const Eigen::VectorXd& x) { return std::sin(6 * x[0]) - x[1]; });
  const FittedResponse plain = fit_response(space, sum, {.kind = "kriging"});
  CHECK(std::none_of(plain.tried.begin(), plain.tried.end(), scaled));
}
