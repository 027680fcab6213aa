#include <doctest/doctest.h>

#include <renth/fit/kriging_draws.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/kriging_search.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/features.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/kriging_ensemble.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {
double bent(const Eigen::VectorXd& x) {
  return std::sin(5 * x[0]) + x[1] * x[1];
}
}  // namespace

TEST_CASE(
    "an ensemble predicts as the likeliest, its variance takes in the others, and it is stored to the last "
    "bit") {
  const Space space = cube(2);
  const Data data = data_of(spread_out(space, 14, 3), bent);
  const auto fitted = kriging_fit({.draws = 10})(space, data, 1);
  const auto& ensemble = dynamic_cast<const KrigingEnsemble&>(*fitted);
  const KrigingEnsemble::State& s = ensemble.state();
  CHECK(s.members.size() >= 3);
  CHECK(s.shares.sum() == doctest::Approx(1));
  CHECK(fitted->kind() == "kriging");
  const Eigen::MatrixXd at = sample_region(space, 20, Values::physical, 4, "at");
  const Prediction p = fitted->predict(at, {.variance = true, .gradient = true});
  const auto alone = [&](Kriging::State one) {
    one.terms = s.terms;
    one.runs = scaled_features(space, one.theta, data.inputs);
    return Kriging(one).predict(at, {.variance = true});
  };
  const Eigen::VectorXd mean = alone(s.modes.front()).mean;
  Eigen::VectorXd square = Eigen::VectorXd::Zero(20);
  for (std::size_t m = 0; m < s.members.size(); ++m) {
    const Prediction q = alone(s.members[m]);
    square += s.shares[Eigen::Index(m)] * (q.model_variance + (q.mean - mean).cwiseAbs2());
  }
  CHECK((p.mean - mean).norm() < 1e-9);
  CHECK((p.mean - kriging_fit()(space, data, 1)->predict(at).mean).norm() < 1e-9);
  CHECK((p.model_variance - square).norm() < 1e-7);
  CHECK((fitted->covariance(at, 0).diagonal() - p.model_variance).norm() < 1e-9);
  for (Eigen::Index j = 0; j < 2; ++j) {
    Eigen::MatrixXd up = at, down = at;
    up.col(j).array() += 1e-5;
    down.col(j).array() -= 1e-5;
    const Eigen::VectorXd slope = (fitted->predict(up).mean - fitted->predict(down).mean) / 2e-5;
    CHECK((slope - p.mean_gradient[0].col(j)).norm() < 1e-5);
  }
  const auto again = load_surrogate(fitted->save());
  CHECK(again->predict(at, {.variance = true}).mean == p.mean);
  CHECK(again->predict(at, {.variance = true}).model_variance == p.model_variance);
  CHECK(describe_fit(*again) == describe_fit(*kriging_fit()(space, data, 1)));
  CHECK(again->save().bytes == fitted->save().bytes);
}

TEST_CASE("draws have the mean and the spread of the posterior that a grid gives") {
  const Space line = cube(1);
  double mean_error = 0, spread_ratio = 0;
  constexpr int sets = 20;
  for (Seed seed = 1; seed <= sets; ++seed) {
    const Data data =
        data_of(spread_out(line, 7, seed), [](const Eigen::VectorXd& x) { return std::sin(6 * x[0]); });
    const Standardised outputs = standardise(data, "kriging");
    KrigingOptions options;
    options.kernel = Kernel::matern52;
    KrigingMode mode;
    mode.problem = kriging_problem(line, data, outputs.z, options);
    KrigingObjective objective(mode.problem);
    double mass = 0, first = 0, second = 0;
    mode.value = 1e300;
    for (double t = std::log(0.02); t < std::log(100); t += 0.01) {
      const Eigen::VectorXd at = Eigen::VectorXd::Constant(1, t);
      const double value = objective(at, nullptr), weight = std::exp(-value);
      if (value < mode.value) {
        mode.value = value;
        mode.at = at;
      }
      mass += weight;
      first += weight * t;
      second += weight * t * t;
    }
    const double mean = first / mass, sd = std::sqrt(second / mass - mean * mean);
    const auto drawn = kriging_ensemble({mode}, 50, line, trend_terms(line, "1"), outputs, seed);
    const KrigingEnsemble::State& s = static_cast<const KrigingEnsemble&>(*drawn).state();
    double m = 0, q = 0;
    for (std::size_t k = 0; k < s.members.size(); ++k) {
      const double t = std::log(s.members[k].theta[0]);
      m += s.shares[Eigen::Index(k)] * t;
      q += s.shares[Eigen::Index(k)] * t * t;
    }
    mean_error += (m - mean) / sd / sets;
    spread_ratio += std::sqrt(q - m * m) / sd / sets;
  }
  CHECK(std::abs(mean_error) < 0.15);
  CHECK(spread_ratio > 0.8);
  CHECK(spread_ratio < 1.15);
}

TEST_CASE("without one run the draws are weighted anew, and a run left out is met as by a fit of its own") {
  const Space space = cube(2);
  const Data data = data_of(spread_out(space, 16, 6), bent);
  KrigingOptions options;
  options.draws = 12;
  const auto whole = kriging_fit(options)(space, data, 1);
  double apart = 0, error = 0;
  for (Eigen::Index i = 0; i < 16; ++i) {
    std::vector<Eigen::Index> rest;
    for (Eigen::Index r = 0; r < 16; ++r)
      if (r != i) rest.push_back(r);
    const Eigen::MatrixXd at = data.inputs.row(i);
    const auto again = kriging_again(options, *whole)(space, data.rows(rest), 1),
               alone = kriging_fit(options)(space, data.rows(rest), 1);
    CHECK(static_cast<const KrigingEnsemble&>(*again).state().shares.sum() == doctest::Approx(1));
    apart += std::pow(again->predict(at).mean(0, 0) - alone->predict(at).mean(0, 0), 2);
    error += std::pow(alone->predict(at).mean(0, 0) - data.outputs(i, 0), 2);
  }
  CHECK(apart < 0.3 * error);
}

TEST_CASE("the same draws for a seed, and the likeliest alone where draws are not asked for or worth it") {
  const Space space = cube(2);
  const Data data = data_of(spread_out(space, 20, 6), bent);
  KrigingOptions options;
  options.draws = 12;
  CHECK(kriging_fit(options)(space, data, 4)->save().bytes ==
        kriging_fit(options)(space, data, 4)->save().bytes);
  options.most_drawn_for = 19;
  CHECK(dynamic_cast<const Kriging*>(kriging_fit(options)(space, data, 4).get()));
  options.most_drawn_for = 150;
  options.nugget = KrigingOptions::Nugget::fixed;
  options.noise_variance = 0.01;
  CHECK(dynamic_cast<const Kriging*>(kriging_fit(options)(space, data, 4).get()));
  CHECK_THROWS_WITH_AS(KrigingEnsemble({}), doctest::Contains("nothing to predict with"), Error);
}
