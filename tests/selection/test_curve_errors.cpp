#include <doctest/doctest.h>

#include <cmath>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/problem/bound_values.hpp>
#include <renth/quality/error_correlation.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/along.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

const std::vector<double> periods = {1, 1.5, 2, 2.5, 3, 3.5, 4, 4.5, 5};

/// A resonance whose place and height depend on the settings.
Eigen::MatrixXd resonance(const Eigen::MatrixXd& x) {
  Eigen::MatrixXd out(x.rows(), Eigen::Index(periods.size()));
  for (Eigen::Index i = 0; i < x.rows(); ++i)
    for (Eigen::Index k = 0; k < out.cols(); ++k) {
      const double off = periods[std::size_t(k)] - 2.2 - 1.5 * x(i, 1);
      out(i, k) = (1 + 2 * x(i, 0)) / (0.5 + off * off) + std::sin(3 * x(i, 0) * x(i, 2));
    }
  return out;
}

/// A curve and what is derived from it.
std::shared_ptr<Model> model_of(const Space& space, const Data& data, const std::string& kind, Seed seed) {
  auto model = std::make_shared<Model>();
  Problem& p = model->problem;
  p.space = space;
  p.axes = {{"period", "s", periods}};
  for (const char* name : {"curve", "mean", "one", "largest", "least"}) {
    p.responses.emplace_back();
    p.responses.back().name = name;
  }
  p.responses[0].axis = 0;
  const std::vector<Symbol> symbols = p.symbols();
  const char* text[] = {"mean(curve)", "at(curve, 3)", "max(curve)", "min(curve, 1.2, 4)"};
  for (std::size_t k = 0; k < 4; ++k)
    p.responses[k + 1].derive = std::make_shared<const Expression>(text[k], symbols, "test");
  model->parts.resize(5);
  const FittedResponse fitted =
      fit_response(space, data, {.kind = kind, .choosing = {.repeats = 1}, .seed = seed});
  model->parts[0] = std::make_shared<const Model::Part>(
      Model::Part{fitted.surrogate, fold_models(fitted.cv, data.outputs)});
  model->coverage = Coverage(space, data.inputs);
  return model;
}

}  // namespace

TEST_CASE("correlations of errors are found, and drawn towards none where runs are few") {
  Stream stream(1, "errors");
  const auto draw = [&](Eigen::Index n) {
    Eigen::MatrixXd e(n, 3);
    for (Eigen::Index i = 0; i < n; ++i) {
      const double common = stream.normal();
      e.row(i) << common + 0.2 * stream.normal(), 5 * common + stream.normal(), stream.normal();
    }
    return e;
  };
  const Eigen::MatrixXd many = error_correlation(draw(4000));
  CHECK(many(0, 1) == doctest::Approx(5 / std::sqrt(26 * 1.04)).epsilon(0.02));
  CHECK(std::abs(many(0, 2)) < 0.05);
  CHECK(many.diagonal() == Eigen::Vector3d::Ones());
  double spurious = 0, plain = 0;
  for (int trial = 0; trial < 50; ++trial) {
    Eigen::MatrixXd noise(8, 6);
    for (double& v : noise.reshaped()) v = stream.normal();
    const Eigen::MatrixXd r = error_correlation(noise);
    CHECK(r.selfadjointView<Eigen::Lower>().eigenvalues().minCoeff() > 0);
    const Eigen::MatrixXd centred = noise.rowwise() - noise.colwise().mean();
    const Eigen::MatrixXd c = centred.transpose() * centred;
    spurious += std::abs(r(0, 1));
    plain += std::abs(c(0, 1)) / std::sqrt(c(0, 0) * c(1, 1));
  }
  CHECK(spurious < 0.5 * plain);
  CHECK(error_correlation(Eigen::MatrixXd::Zero(2, 4)) == Eigen::MatrixXd::Identity(4, 4));
  Eigen::MatrixXd gaps = draw(40);
  gaps(3, 1) = NAN;
  CHECK(error_correlation(gaps).allFinite());
}

TEST_CASE("the parts of a curve's errors add up to its variances, and survive the archive") {
  const Space space = cube(3);
  Data data;
  data.inputs = spread_out(space, 30, 3);
  data.outputs = resonance(data.inputs);
  const Eigen::MatrixXd at = sample_region(space, 20, Values::physical, 1, "fresh");
  for (const char* kind : {"polynomial", "kriging", "blend"}) {
    CAPTURE(kind);
    const auto surrogate = fit_response(space, data, {.kind = kind, .choosing = {.repeats = 1}}).surrogate;
    const Prediction p = surrogate->predict(at, {.variance = true, .parts = true});
    REQUIRE(!p.parts.empty());
    Eigen::MatrixXd model = Eigen::MatrixXd::Zero(20, 9), noise = model;
    for (const ErrorPart& part : p.parts) {
      model += part.model.cwiseAbs2();
      noise += part.noise.cwiseAbs2();
    }
    CHECK((model - p.model_variance).cwiseAbs().maxCoeff() < 1e-10 * p.model_variance.maxCoeff());
    CHECK((noise - p.noise_variance).cwiseAbs().maxCoeff() < 1e-10 * (1 + p.noise_variance.maxCoeff()));
    const Prediction again =
        load_surrogate(surrogate->save())->predict(at, {.variance = true, .parts = true});
    REQUIRE(again.parts.size() == p.parts.size());
    CHECK(again.parts[0].model == p.parts[0].model);
  }
}

TEST_CASE("a curve without an error estimate has none in what is derived from it") {
  const Space space = cube(3);
  Data data;
  data.inputs = spread_out(space, 4, 3);
  data.outputs = resonance(data.inputs);
  std::vector<std::shared_ptr<const Surrogate>> members;
  for (Eigen::Index k = 0; k < data.outputs.cols(); ++k)
    members.emplace_back(polynomial_fit({parse_terms(space, "linear")})(
        space, {.inputs = data.inputs, .outputs = data.outputs.col(k)}, 1));
  const Along curve(members, error_correlation(Eigen::MatrixXd::Zero(2, data.outputs.cols())));
  const Prediction p = curve.predict(data.inputs, {.variance = true, .parts = true});
  REQUIRE(p.model_variance.array().isNaN().all());
  REQUIRE(!p.parts.empty());
  Eigen::MatrixXd sum = Eigen::MatrixXd::Zero(4, data.outputs.cols());
  for (const ErrorPart& part : p.parts) sum += part.model;
  CHECK(sum.array().isNaN().all());
}

TEST_CASE("intervals of what is derived from a curve hold, and are not much wider than the errors" *
          doctest::test_suite("long")) {
  const Space space = cube(3);
  constexpr int seeds = 12, points = 200;
  for (const char* kind : {"kriging", "polynomial"}) {
    Eigen::Array4d inside = Eigen::Array4d::Zero(), width = inside, error = inside;
    for (Seed seed = 1; seed <= seeds; ++seed) {
      Data data;
      data.inputs = spread_out(space, 32, seed);
      data.outputs = resonance(data.inputs);
      const auto model = model_of(space, data, kind, seed);
      const Predictor predictor(model, parallel_for);
      const Eigen::MatrixXd at = sample_region(space, points, Values::physical, seed, "fresh");
      const Predictions p = predictor.predict(at, 0.95);
      BoundValues truth(model->problem, at);
      truth.set(0, resonance(at));
      truth.derive({1, 2, 3, 4});
      for (int k = 0; k < 4; ++k) {
        const ResponsePrediction& r = *p.of(k + 1);
        const Eigen::VectorXd y = truth.response(k + 1).col(0);
        for (int i = 0; i < points; ++i) {
          inside[k] += y[i] >= r.prediction_low(i, 0) && y[i] <= r.prediction_high(i, 0);
          width[k] += std::pow(0.5 * (r.prediction_high(i, 0) - r.prediction_low(i, 0)), 2);
          error[k] += std::pow(y[i] - r.mean(i, 0), 2);
        }
      }
    }
    inside /= seeds * points;
    const Eigen::Array4d ratio = (width / error).sqrt() / 1.96;
    CAPTURE(kind);
    for (int k = 0; k < 4; ++k) {
      CAPTURE(k);
      CHECK(inside[k] > 0.92);
      CHECK(ratio[k] < 1.6);
    }
  }
}
