#include <doctest/doctest.h>

#include <cmath>
#include <renth/base/error.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/distributions.hpp>
#include <renth/quality/cross_validation.hpp>
#include <tolerance/exact.hpp>

using namespace renth;
using namespace renth::test;

namespace {

const Function sum_of = [](const Eigen::VectorXd& x) { return x.sum(); };
const Function square_of = [](const Eigen::VectorXd& x) { return x.squaredNorm(); };

/// How often the interval holds the true share, and the mean half-width.
struct Coverage100 {
  int held = 0;
  double half = 0;
};
Coverage100 coverage(const KnownModel& model, const Space& space, Sampling method, double truth,
                     Eigen::Index count) {
  const ScatterDraw draw(space);
  Coverage100 out;
  for (Seed seed = 1; seed <= 100; ++seed) {
    const Estimate e = yield_of(draw_sample(draw, model.specification(), Eigen::VectorXd::Zero(space.size()),
                                            method, count, hash64("cover", seed)),
                                0.95);
    out.held += truth >= e.low && truth <= e.high ? 1 : 0;
    out.half += e.half_width() / 100;
  }
  return out;
}

}  // namespace

TEST_CASE("yields of linear and quadratic functions: intervals hold the exact probability") {
  const int d = 4;
  const double sd = 0.5;
  const Space space = scattering(d, sd);
  struct Case {
    const char* name;
    Function f;
    double most, truth;
  };
  // A sum of four is normal; a sum of squares is χ² of four degrees.
  for (const Case& c : {Case{"linear", sum_of, 1.3, normal_cdf(1.3 / (sd * 2))},
                        Case{"square", square_of, 2.0, 1 - chi_squared_upper(2.0 / (sd * sd), d)}}) {
    CAPTURE(c.name);
    const KnownModel model(space, {{c.f, at_most(c.most)}});
    const double random = coverage(model, space, Sampling::random, c.truth, 4096).half;
    for (const Sampling method :
         {Sampling::random, Sampling::hypercube, Sampling::hammersley, Sampling::sobol}) {
      CAPTURE(std::string(sampling_words(method)));
      const Coverage100 r = coverage(model, space, method, c.truth, 4096);
      CHECK(r.held >= 90);
      CHECK(r.held <= 99);
      CHECK(r.half <= random * 1.0001);
    }
  }
}

TEST_CASE(
    "a yield asks for as many draws as its half-width needs, and says how many random ones it is worth") {
  const Space space = scattering(3, 0.5);
  const KnownModel model(space, {{sum_of, at_most(1.0)}});
  ToleranceOptions options;
  options.per_parameter = false;
  options.half_width = 0.002;
  const ToleranceResult r = tolerance(model.specification(), Eigen::Vector3d::Zero(), options, 1);
  CHECK(r.yield.half_width() <= 0.002);
  CHECK(r.as_random > 2.0 * double(r.samples));
  CHECK(r.yield.value == doctest::Approx(normal_cdf(1.0 / (0.5 * std::sqrt(3.0)))).epsilon(0.004));
  // Another seed, another sample; the same seed, the same bytes.
  CHECK(tolerance(model.specification(), Eigen::Vector3d::Zero(), options, 1).yield.value == r.yield.value);
  CHECK(tolerance(model.specification(), Eigen::Vector3d::Zero(), options, 2).yield.value != r.yield.value);
}

TEST_CASE("mean, spread, quantiles and capability of a response are the exact ones; limits fail together") {
  const Space space = scattering(2, 1.0);
  const KnownModel model(space, {{[](const auto& x) { return 3 + x[0]; }, at_most(4.5)},
                                 {[](const auto& x) { return x[0] + x[1]; }, at_least(-1)}});
  ToleranceOptions options;
  options.samples = 1 << 16;
  const ToleranceResult r = tolerance(model.specification(), Eigen::Vector2d::Zero(), options, 1);
  CHECK(r.responses[0].mean == doctest::Approx(3).epsilon(1e-3));
  CHECK(r.responses[0].sd == doctest::Approx(1).epsilon(1e-3));
  CHECK(r.responses[0].p95 == doctest::Approx(3 + normal_quantile(0.95)).epsilon(2e-3));
  CHECK(r.responses[0].capability == doctest::Approx(0.5).epsilon(1e-2));
  CHECK(r.responses[0].yield.value == doctest::Approx(normal_cdf(1.5)).epsilon(1e-3));
  CHECK(r.responses[1].yield.value == doctest::Approx(normal_cdf(1 / std::sqrt(2.0))).epsilon(2e-3));
  double broken = 0;
  for (const auto& t : r.shares.broken) broken += t.share;
  CHECK(r.yield.value == doctest::Approx(1 - broken));
  double histogram = 0;
  for (const auto& bin : r.responses[0].histogram) histogram += bin.share;
  CHECK(histogram == doctest::Approx(1));
}

TEST_CASE("what one run scatters is in the yield of a noisy study, or left out") {
  const Space space = scattering(1, 0.6);
  const std::vector<Known> functions = {{sum_of, at_most(1.0), 0.8}};
  ToleranceOptions options;
  options.samples = 1 << 15;
  const KnownModel noisy(space, functions), mean(space, functions, {.mean_only = true});
  CHECK(tolerance(noisy.specification(), Eigen::VectorXd::Zero(1), options, 1).yield.value ==
        doctest::Approx(normal_cdf(1.0)).epsilon(2e-3));
  CHECK(tolerance(mean.specification(), Eigen::VectorXd::Zero(1), options, 1).yield.value ==
        doctest::Approx(normal_cdf(1.0 / 0.6)).epsilon(2e-3));
}

TEST_CASE("cost and slack are those of the exact yield") {
  // y = 2a + b, sd 0.3 and 0.4: the yield is Φ(1/√(0.36 s² + 0.16 t²)) with scatters s and t times as wide.
  std::vector<Parameter> parameters = scattering(3, 0.3).parameters();
  parameters[1].scatter.size = 0.4;
  const Space space(parameters);
  const KnownModel model(space, {{[](const auto& x) { return 2 * x[0] + x[1]; }, at_most(1.0)}});
  const auto exact = [](double s, double t) {
    return normal_cdf(1 / std::sqrt(0.36 * s * s + 0.16 * t * t));
  };
  ToleranceOptions options;
  options.samples = 1 << 16;
  const ToleranceResult r = tolerance(model.specification(), Eigen::Vector3d::Zero(), options, 1);
  REQUIRE(r.parameters.size() == 3);
  const Estimate a = r.parameters[0].cost, b = r.parameters[1].cost;
  CHECK(std::abs(a.value - (exact(0, 1) - exact(1, 1))) < 2e-3);
  CHECK(std::abs(b.value - (exact(1, 0) - exact(1, 1))) < 2e-3);
  CHECK(std::abs(r.parameters[2].cost.value) < 1e-12);
  CHECK_FALSE(r.parameters[2].slack);
  for (const int k : {0, 1}) {
    REQUIRE(r.parameters[std::size_t(k)].slack);
    const double slack = *r.parameters[std::size_t(k)].slack;
    CHECK(exact(k == 0 ? slack : 1, k == 1 ? slack : 1) ==
          doctest::Approx(exact(1, 1) - 0.01).epsilon(1.5e-3));
  }
  // By value: the yield falls with a, and its mean is the yield.
  double mean = 0;
  for (const auto& bin : r.parameters[0].bins) mean += bin.yield.value / double(r.parameters[0].bins.size());
  CHECK(mean == doctest::Approx(r.yield.value).epsilon(1e-3));
  CHECK(r.parameters[0].bins.front().yield.value > r.parameters[0].bins.back().yield.value);
}

TEST_CASE("the cheapest tolerances are those of brute force") {
  for (const double price : {1.0, 4.0}) {
    CAPTURE(price);
    std::vector<Parameter> parameters = scattering(2, 0.3).parameters();
    parameters[0].scatter.tighten_cost = price;
    parameters[1].scatter.size = 0.4;
    const Space space(parameters);
    const KnownModel model(space, {{[](const auto& x) { return 2 * x[0] + x[1]; }, at_most(1.0)}});
    const double target = 0.99, room = 1 / normal_quantile(target);
    double best = 1e9;
    for (double s = 0.01; s <= 1; s += 0.001) {
      const double left = room * room - 0.36 * s * s;
      if (left <= 0) continue;
      const double t = std::min(1.0, std::sqrt(left / 0.16));
      best = std::min(best, price * (1 / s - 1) + (1 / t - 1));
    }
    const ToleranceReach r =
        tolerances_for(ScatterDraw(space), model.specification(), Eigen::Vector2d::Zero(), target, 0.95, 1);
    CHECK(r.reached);
    CHECK(r.yield.value >= target);
    CHECK(r.cost < best * 1.08);
    CHECK(r.cost > best * 0.97);
  }
}

TEST_CASE("another scatter or limit from the same sample by weights, and where that is not sound") {
  const Space space = scattering(2, 0.5);
  const KnownModel model(space, {{sum_of, at_most(1.0)}});
  const ToleranceSample sample = draw_sample(ScatterDraw(space), model.specification(),
                                             Eigen::Vector2d::Zero(), Sampling::sobol, 1 << 15, 1);
  std::vector<Parameter> tighter = space.parameters(), wider = tighter;
  tighter[0].scatter.size = 0.35;
  const WhatIf t = what_if(sample, model.specification(), space, Space(tighter), {}, 0.95);
  CHECK(t.sound);
  const double truth = normal_cdf(1.0 / std::hypot(0.35, 0.5));
  CHECK(truth >= t.yield.low - 1e-3);
  CHECK(truth <= t.yield.high + 1e-3);
  CHECK(t.yield.value == doctest::Approx(truth).epsilon(3e-3));
  wider[0].scatter.size = 2.0;
  CHECK_FALSE(what_if(sample, model.specification(), space, Space(wider), {}, 0.95).sound);
  const WhatIf limit = what_if(sample, model.specification(), space, space, {at_most(0.5)}, 0.95);
  CHECK(limit.sound);
  CHECK(limit.yield.value == doctest::Approx(normal_cdf(0.5 / std::hypot(0.5, 0.5))).epsilon(3e-3));
}

TEST_CASE("far yields: the share out of specification within its interval in nine of ten") {
  const int d = 5;
  const Space space = scattering(d, 1.0, -20, 20);
  for (const double beta : {3.5, 4.7}) {
    CAPTURE(beta);
    const KnownModel model(space, {{sum_of, at_most(beta * std::sqrt(double(d)))}});
    const double truth = 1 - normal_cdf(beta);
    int held = 0;
    constexpr int seeds = 40;
    for (Seed seed = 1; seed <= seeds; ++seed) {
      const Estimate e =
          rare_failures(ScatterDraw(space), model.specification(), Eigen::VectorXd::Zero(d), 0.95, seed);
      held += truth >= e.low && truth <= e.high ? 1 : 0;
      CHECK(e.value == doctest::Approx(truth).epsilon(0.5));
    }
    CHECK(held >= 34);
  }
  const KnownModel far(space, {{sum_of, at_most(4.2 * std::sqrt(double(d)))}});
  const ToleranceResult r = tolerance(far.specification(), Eigen::VectorXd::Zero(d), {}, 1);
  CHECK(r.rare);
  CHECK(1 - r.yield.value == doctest::Approx(1 - normal_cdf(4.2)).epsilon(0.5));
}

TEST_CASE("the worst corner of the tolerances is found, with where") {
  std::vector<Parameter> parameters = cube(2, -5, 5).parameters();
  parameters[0].scatter = {Scatter::Shape::uniform, 0.5};
  parameters[1].scatter = {Scatter::Shape::triangular, 0.25};
  const Space space(parameters);
  const KnownModel model(space, {{[](const auto& x) { return x[0] - 2 * x[1]; }, {-2.0, 0.8}}});
  ToleranceOptions options;
  options.method = Sampling::corners;
  const ToleranceResult r = tolerance(model.specification(), Eigen::Vector2d::Zero(), options, 1);
  REQUIRE(r.worst.size() == 2);
  CHECK(r.worst[0].margin == doctest::Approx(1));
  CHECK(r.worst[1].margin == doctest::Approx(-0.2));
  CHECK(r.worst[1].point == Eigen::Vector2d(0.5, -0.25));
}

TEST_CASE("the surrogates' errors are in their own interval: it holds the true yield") {
  std::vector<Parameter> parameters = cube(2).parameters();
  for (Parameter& p : parameters) p.scatter = {Scatter::Shape::normal, 0.08};
  const Space space(parameters);
  const Function f = [](const Eigen::VectorXd& x) {
    return std::sin(5 * x[0]) + 2 * x[1] * x[1] - x[0] * x[1];
  };
  const Eigen::Vector2d at(0.5, 0.55);
  const double limit = 1.2;
  const ScatterDraw draw(space);
  const KnownModel truth(space, {{f, at_most(limit)}});
  const double yield =
      yield_of(draw_sample(draw, truth.specification(), at, Sampling::sobol, 1 << 17, 1), 0.95).value;
  int held = 0, plain = 0;
  constexpr int seeds = 40;
  for (Seed seed = 1; seed <= seeds; ++seed) {
    auto model = std::make_shared<Model>();
    model->problem.space = space;
    model->problem.order = {"x1", "x2"};
    model->problem.responses.resize(1);
    model->problem.responses[0].name = "y";
    model->problem.responses[0].accept = at_most(limit);
    const Data data = data_of(spread_out(space, 14, seed), f);
    const CrossValidation cv =
        cross_validate(space, data, make_folds(space, data, seed), kriging_fit(), seed);
    model->parts = {std::make_shared<Model::Part>(Model::Part{
        std::shared_ptr<const Surrogate>(kriging_fit()(space, data, seed)), fold_models(cv, data.outputs)})};
    model->coverage = Coverage(space, data.inputs);
    const Predictor predictor(model, parallel_for);
    const Specification specification(predictor);
    ToleranceOptions options;
    options.per_parameter = false;
    const ToleranceResult r = tolerance(specification, at, options, seed);
    REQUIRE(r.with_surrogate);
    held += yield >= r.with_surrogate->low && yield <= r.with_surrogate->high ? 1 : 0;
    plain += yield >= r.yield.low && yield <= r.yield.high ? 1 : 0;
  }
  CHECK(held >= 34);
  CHECK(plain < held);  // the sample's interval knows nothing of them
}

TEST_CASE("what cannot be worked out is refused with what to do") {
  const Space still = cube(2), space = scattering(2, 0.1);
  CHECK_THROWS_WITH_AS(KnownModel(space, {{sum_of, {}}}), doctest::Contains("accept limits"), Error);
  const KnownModel model(still, {{sum_of, at_most(1.0)}});
  CHECK_THROWS_WITH_AS(tolerance(model.specification(), Eigen::Vector2d::Zero(), {}, 1),
                       doctest::Contains("no parameter has scatter"), Error);
  const Space limited = space.with({{"x1 >= 0", [](const double* x) { return x[0]; }}});
  const KnownModel other(limited, {{sum_of, at_most(1.0)}});
  CHECK_THROWS_WITH_AS(tolerance(other.specification(), Eigen::Vector2d(-1, 0), {}, 1),
                       doctest::Contains("breaks a limit"), Error);
  CHECK_THROWS_WITH_AS(accepts_with(model.specification().predictor().problem(), {"y9 <= 3"}, "--accept"),
                       doctest::Contains("y9"), Error);
  CHECK_THROWS_WITH_AS(accepts_with(model.specification().predictor().problem(), {"y1 < 3"}, "--accept"),
                       doctest::Contains("no limit"), Error);
}
