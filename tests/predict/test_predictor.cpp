#include <doctest/doctest.h>

#include <cmath>
#include <renth/numeric/parallel.hpp>
#include <renth/predict/predictor.hpp>
#include <support.hpp>
#include <support_surrogates.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// power = 3 + 2a − b and mass = 5 + a, a curve of three points, and what is derived from them; made by hand,
/// without a study, a file or a fit.
std::shared_ptr<Model> hand_made() {
  auto model = std::make_shared<Model>();
  Problem& p = model->problem;
  p.space = Space({continuous("a", 0, 4), continuous("b", 0, 2)});
  p.fixed = {{"depth", "", "m", 10.0}};
  p.axes = {{"period", "s", {1, 2, 4}}};
  for (const char* name : {"power", "mass", "curve", "unknown", "ratio", "peak", "area", "lost"}) {
    p.responses.emplace_back();
    p.responses.back().name = name;
  }
  p.responses[2].axis = 0;
  const std::vector<Symbol> symbols = p.symbols();
  const auto derive = [&](int k, const char* text) {
    p.responses[std::size_t(k)].derive = std::make_shared<const Expression>(text, symbols, "test");
  };
  derive(4, "power / mass");
  derive(5, "argmax(curve)");
  derive(6, "mean(curve) + depth * ratio");
  derive(7, "unknown + 1");
  model->parts.resize(8);
  const Eigen::Vector2d power(2, -1), mass(1, 0), height(1, 1);
  const auto part = [](Plane plane) {
    return std::make_shared<const Model::Part>(Model::Part{std::make_shared<Plane>(std::move(plane)), {}});
  };
  model->parts[0] = part(Plane(3, power, 0.5, 0.1));
  model->parts[1] = part(Plane(5, mass, 0.2));
  model->parts[2] = part(Plane(1, height, 0.3, 0, 3));
  Eigen::MatrixXd runs(5, 2);
  runs << 0, 0, 4, 0, 0, 2, 4, 2, 2, 1;
  model->coverage = Coverage(p.space, runs);
  return model;
}

}  // namespace

TEST_CASE("a model made by hand is predicted, derived responses and curves included") {
  const Predictor predictor(hand_made());
  Eigen::MatrixXd at(2, 2);
  at << 2, 1, 1, 0.5;
  const Predictions p = predictor.predict(at, 0.95);
  REQUIRE(p.of(4));
  CHECK(p.of(0)->mean(0, 0) == 6);
  CHECK(p.of(2)->mean.row(0) == Eigen::RowVector3d(4, 8, 12));
  CHECK(p.of(4)->mean(0, 0) == doctest::Approx(6.0 / 7));
  CHECK(p.of(5)->mean(0, 0) == 4);
  CHECK(p.of(6)->mean(0, 0) == doctest::Approx((1 * 6.0 + 2 * 10.0) / 3 + 10 * 6.0 / 7));
  for (const int lost : {3, 7}) {
    CHECK_FALSE(p.of(lost));
    CHECK_FALSE(predictor.has(lost));
  }
  CHECK(p.inside[0]);
  at << 9, 1, 1, 0.5;
  CHECK_FALSE(predictor.predict(at, 0.95).inside[0]);
}

TEST_CASE("errors of derived responses are carried through as one deviation to either side") {
  const Predictor predictor(hand_made());
  const Eigen::MatrixXd at = Eigen::RowVector2d(2, 1);
  const Predictions p = predictor.predict(at, 0.95);
  const double from_power = 0.5 / 7;
  const double from_mass = 0.5 * (6 / 6.8 - 6 / 7.2);
  CHECK(p.of(4)->sd(0, 0) == doctest::Approx(std::hypot(from_power, from_mass)));
  // A run scatters besides, by 0.1 in power.
  const double of_a_run = std::hypot(std::hypot(0.5, 0.1) / 7, from_mass);
  CHECK(p.of(4)->prediction_high(0, 0) - p.of(4)->mean(0, 0) ==
        doctest::Approx(1.959963985 * of_a_run).epsilon(1e-8));
  // An error that is the same all along a curve does not move its peak, and those of single points are small.
  CHECK(p.of(5)->sd(0, 0) == 0);
}

TEST_CASE("blocks and threads change no bit of what is predicted") {
  const auto model = hand_made();
  const Predictor serial(model), parallel(model, parallel_for);
  const Eigen::MatrixXd at = (Eigen::MatrixXd::Random(2500, 2).array() + 1.01).matrix();
  const Expression keep("power > 4 && max(curve) < 20", model->problem.symbols(), "test");
  const std::vector<Expression> conditions = {keep};
  const Eigen::MatrixXd one = serial.means(at, conditions), other = parallel.means(at, conditions);
  CHECK((one.array().isNaN() == other.array().isNaN()).all());
  CHECK(one.array().isNaN().select(0, one) == other.array().isNaN().select(0, other));
  const Predictions a = serial.predict(at, 0.9), b = parallel.predict(at, 0.9);
  for (const int k : {0, 2, 4, 5, 6}) {
    CHECK(a.of(k)->mean == b.of(k)->mean);
    CHECK(a.of(k)->prediction_low == b.of(k)->prediction_low);
    // A point by itself gives what it gives among others.
    CHECK(serial.predict(at.row(1700), 0.9).of(k)->sd == a.of(k)->sd.row(1700));
  }
  CHECK(one(1700, 8) == serial.means(at.row(1700), conditions)(0, 8));
}

TEST_CASE("without an error estimate there is no deviation, not one of nought") {
  const auto model = hand_made();
  model->parts[0] = std::make_shared<const Model::Part>(
      Model::Part{std::make_shared<Plane>(3, Eigen::Vector2d(2, -1), NAN), {}});
  const Predictions p = Predictor(model).predict(Eigen::RowVector2d(2, 1), 0.95);
  CHECK(std::isnan(p.of(0)->sd(0, 0)));
  CHECK(std::isnan(p.of(4)->sd(0, 0)));
  CHECK(p.of(4)->mean(0, 0) == doctest::Approx(6.0 / 7));
}

TEST_CASE("limits are margins, and points and levels are refused at the border") {
  const auto model = hand_made();
  Problem& p = model->problem;
  p.space = p.space.with({p.limit("a + b <= 5", "limit"), p.limit("a >= depth / 10", "limit")});
  const Predictor predictor(model);
  const Eigen::MatrixXd at = Eigen::RowVector2d(3, 1);
  CHECK(predictor.margins(at) == Eigen::RowVector2d(1, 2));
  CHECK_THROWS_AS(predictor.predict(Eigen::MatrixXd::Zero(1, 3), 0.95), Error);
  CHECK_THROWS_AS(predictor.means(Eigen::RowVector2d(NAN, 0)), Error);
  for (const double level : {0.0, 1.0, -0.5, 95.0}) CHECK_THROWS_AS(predictor.predict(at, level), Error);
  CHECK_THROWS_AS(predictor.predict(at, 0.95, {{7}}), Error);
  CHECK_THROWS_AS(predictor.predict(at, 0.95, {{99}}), Error);
  CHECK_THROWS_AS(predictor.mean_of(3, at), Error);
}

TEST_CASE("the joint covariance of a derived response is that of its parts by its slopes") {
  const Predictor predictor(hand_made());
  Eigen::MatrixXd at(3, 2);
  at << 2, 1, 1, 0.5, 3, 2;
  // ratio = power/mass: slopes 1/mass and, by a deviation of 0.2 to either side, that of power/mass.
  const Eigen::MatrixXd found = predictor.covariance(4, at);
  const Predictions p = predictor.predict(at, 0.95);
  CHECK((found.diagonal().cwiseSqrt() - p.of(4)->sd.col(0)).norm() < 1e-12);
  Eigen::VectorXd by_power(3), by_mass(3);
  for (int i = 0; i < 3; ++i) {
    const double power = p.of(0)->mean(i, 0), mass = p.of(1)->mean(i, 0);
    by_power[i] = 1 / mass;
    by_mass[i] = (power / (mass + 0.2) - power / (mass - 0.2)) / 0.4;
  }
  // The test's planes are wrong by the same everywhere.
  const Eigen::MatrixXd expected =
      0.25 * by_power * by_power.transpose() + 0.04 * by_mass * by_mass.transpose();
  CHECK((found - expected).norm() < 1e-12);
  CHECK(predictor.covariance(0, at) == Eigen::MatrixXd::Constant(3, 3, 0.25));
}

TEST_CASE("a model that does not fit together is refused") {
  const auto refused = [](const std::function<void(Model&)>& change) {
    const auto model = hand_made();
    change(*model);
    CHECK_THROWS_AS(Predictor{model}, Error);
  };
  refused([](Model& m) { m.parts.pop_back(); });
  refused([](Model& m) { m.parts[4] = m.parts[0]; });
  refused([](Model& m) { m.parts[0] = std::make_shared<const Model::Part>(); });
  refused([](Model& m) { m.parts.assign(8, nullptr); });
  refused([](Model& m) { m.problem.responses[1].name = "power"; });
}
