// Loads what the full build wrote and predicts it again, with nothing but renth::predict.
#define DOCTEST_CONFIG_IMPLEMENT
#include <doctest/doctest.h>

#include <fstream>
#include <renth/base/error.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/surrogate/kinds.hpp>
#include <set>

#include "cases.hpp"

using namespace renth;
using namespace renth::test;

namespace {

nlohmann::json cases, model_case;

double largest_difference(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  REQUIRE(a.rows() == b.rows());
  REQUIRE(a.cols() == b.cols());
  return (a - b).cwiseAbs().maxCoeff();
}

}  // namespace

TEST_CASE("surrogates of every kind predict what the full build does") {
  std::set<std::string> seen;
  for (const auto& one : cases) {
    const auto name = one["name"].get<std::string>();
    CAPTURE(name);
    const auto surrogate = load_surrogate({one["kind"], one["version"], from_hex(one["bytes"]), {}});
    seen.insert(one["kind"].get<std::string>());
    const Prediction p = surrogate->predict(from_json(one["points"]), {.variance = true, .gradient = true});
    CHECK(largest_difference(p.mean, from_json(one["mean"])) <= one["mean_tolerance"].get<double>());
    CHECK(largest_difference(p.model_variance, from_json(one["variance"])) <=
          one["variance_tolerance"].get<double>());
    CHECK(largest_difference(p.mean_gradient[0], from_json(one["gradient"])) <=
          one["gradient_tolerance"].get<double>());
    // What it saves is what it was.
    CHECK(to_hex(surrogate->save().bytes) == one["bytes"].get<std::string>());
  }
  CHECK(seen == std::set<std::string>{"along", "kriging-ensemble", "blend", "chaos", "components",
                                      "feasibility", "kriging", "layered", "moving", "nearest-kriging",
                                      "polynomial", "rbf", "reduced", "rescaled", "warped"});
}

TEST_CASE("a damaged surrogate is refused, not believed") {
  const auto& one = cases[0];
  const std::string bytes = from_hex(one["bytes"]);
  for (const std::size_t length : {std::size_t(0), std::size_t(7), bytes.size() / 2, bytes.size() - 1})
    CHECK_THROWS_AS(load_surrogate({one["kind"], one["version"], bytes.substr(0, length), {}}), Error);
  CHECK_THROWS_AS(load_surrogate({"polynomial", 99, bytes, {}}), Error);
  CHECK_THROWS_AS(load_surrogate({"nonsense", 1, bytes, {}}), Error);
}

TEST_CASE("a model of them answers for derived responses too") {
  auto model = std::make_shared<Model>();
  const auto& one = cases[0];
  const Eigen::MatrixXd points = from_json(one["points"]);
  std::vector<Parameter> parameters;
  for (Eigen::Index j = 0; j < points.cols(); ++j) {
    parameters.emplace_back();
    parameters.back().name = "x" + std::to_string(j + 1);
  }
  model->problem.space = Space(parameters);
  for (const char* name : {"y", "squared"}) {
    model->problem.responses.emplace_back();
    model->problem.responses.back().name = name;
  }
  model->problem.responses[1].derive =
      std::make_shared<const Expression>("x1 + y^2", model->problem.symbols(), "test");
  model->parts.resize(2);
  model->parts[0] = std::make_shared<const Model::Part>(
      Model::Part{load_surrogate({one["kind"], one["version"], from_hex(one["bytes"]), {}}), {}});
  model->coverage = Coverage(model->problem.space, points);
  const Predictions p = Predictor(model).predict(points, 0.9);
  const Eigen::ArrayXd y = p.of(0)->mean.col(0).array();
  CHECK(largest_difference(p.of(1)->mean, points.col(0).array() + y.square()) < 1e-12);
}

TEST_CASE("a model file that the full build wrote is read and predicts the same") {
  const auto model =
      std::make_shared<const Model>(read_model(model_case["text"].get<std::string>(), "model"));
  const Predictor predictor(model);
  const Eigen::MatrixXd points = from_json(model_case["points"]);
  const Predictions p = predictor.predict(points, 0.9);
  CHECK(largest_difference(p.of(0)->mean, from_json(model_case["y"])) < 1e-9);
  CHECK(largest_difference(p.of(1)->mean, from_json(model_case["z"])) < 1e-8);
  CHECK(largest_difference(p.of(0)->calibrated_low, from_json(model_case["calibrated_low"])) < 1e-9);
  CHECK(largest_difference(predictor.margins(points), from_json(model_case["margins"])) < 1e-12);
  CHECK(std::vector<int>(p.inside.begin(), p.inside.end()) == model_case["inside"].get<std::vector<int>>());
  CHECK(model->parts[0]->verdict == "good");
  std::string damaged = model_case["text"].get<std::string>();
  damaged[damaged.size() / 2] ^= 1;
  CHECK_THROWS_AS(read_model(damaged, "model"), Error);
}

int main(int argc, char** argv) {
  doctest::Context context;
  if (argc < 2) return 2;
  const auto written = nlohmann::json::parse(std::ifstream(argv[1]));
  cases = written["cases"];
  model_case = written["model"];
  context.applyCommandLine(argc - 1, argv + 1);
  return context.run();
}
