// A model as ONNX: what a runtime that is not ours computes.
#include <doctest/doctest.h>

#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <renth/export/onnx.hpp>
#include <support_files.hpp>
#include <support_kinds.hpp>

using namespace renth;
using namespace renth::test;
using nlohmann::json;

namespace {

/// What the runtime says of a graph at some settings; NaN and infinities are texts.
json run(const std::string& bytes, const json& settings) {
  const Scratch scratch;
  scratch.write("model.onnx", bytes);
  scratch.write("settings.json", settings.dump());
  const std::string at = scratch.path.string();
  const std::string command = "RENTH_NODE_MODULES=" RENTH_ELSEWHERE "/node_modules node " RENTH_TESTS
                              "/elsewhere/run_onnx.mjs " +
                              at + "/model.onnx " + at + "/settings.json > " + at + "/out 2> " + at + "/err";
  const int status = std::system(command.c_str());
  REQUIRE_MESSAGE(status == 0, slurp(scratch.path / "err"));
  return json::parse(slurp(scratch.path / "out"));
}

}  // namespace

TEST_CASE("ONNX of every kind that it can say computes what the library does" *
          doctest::skip(std::string(RENTH_ELSEWHERE).empty())) {
  const auto model = std::make_shared<const Model>(model_of_every_kind(false));
  ModelAbout about;
  about.worth["chaos"] = "good: <é> \"quoted\"";
  const std::string bytes = onnx_bytes(*model, about);
  CHECK(bytes == onnx_bytes(*model, about));
  const Eigen::MatrixXd points = settings_of_every_kind(*model, 120);
  json settings = json::array();
  for (Eigen::Index i = 0; i < points.rows(); ++i)
    settings.push_back(std::vector<double>{points(i, 0), points(i, 1), points(i, 2), points(i, 3)});
  const json said = run(bytes, settings);
  CHECK(said["inputs"] == json{"settings"});
  const Predictions expected = Predictor(model).predict(points, 0.95, {.calibrated = false});
  CHECK(said["outputs"].size() == 2 * expected.responses.size());
  for (const ResponsePrediction& r : expected.responses) {
    const Response& response = model->problem.responses[std::size_t(r.response)];
    CAPTURE(response.name);
    const json& mean = said["outputs"][response.name + "_mean"];
    REQUIRE(mean["type"] == "float64");
    REQUIRE(mean["dims"] == json{points.rows(), r.mean.cols()});
  }
  check_same(*model, expected, [&](const Response& r, bool deviation, Eigen::Index i, Eigen::Index q) {
    const json& values = said["outputs"][r.name + (deviation ? "_sd" : "_mean")]["values"];
    return number_of(values[std::size_t(i * model->problem.outputs(r) + q)]);
  });
  // One setting, and those that do not exist: NaN everywhere.
  const json one = run(bytes, json{{1, 0, 1, 2}});
  CHECK(std::isfinite(number_of(one["outputs"]["blend_mean"]["values"][0])));
  const json none =
      run(bytes, json{{1, 0, 3, 0}, {1, 0, 1, 3}, {1, 0, 1, 0.5}, {"NaN", 0, 1, 0}, {1, "Infinity", 1, 0}});
  for (const auto& output : none["outputs"])
    for (const auto& value : output["values"]) CHECK(value == "NaN");
}

TEST_CASE("what ONNX cannot say is refused with the reason") {
  const Model model = model_of_every_kind();
  const auto refusal = [&](const std::string& name) -> std::string {
    Model alone = model;
    for (std::size_t k = 0; k < alone.parts.size(); ++k)
      if (alone.problem.responses[k].name != name) alone.parts[k] = nullptr;
    try {
      onnx_bytes(alone, {});
    } catch (const Error& e) {
      return e.what();
    }
    return "";
  };
  for (const char* name : {"moving", "nearest", "layered"}) {
    const std::string said = refusal(name);
    CHECK_MESSAGE(said.find(name) == 0, said);
    CHECK(said.find("solves a system at every setting, and ONNX has no operator for that") !=
          std::string::npos);
    CHECK(said.find("export c or fmu") != std::string::npos);
  }
  CHECK(refusal("blend").empty());
  Model inverse = model_of_every_kind(false);
  std::size_t k = 0;
  while (inverse.problem.responses[k].name != "beyond") ++k;
  inverse.problem.responses[k].derive = inverse.problem.derivation(int(k), "atan(x1)", "beyond");
  CHECK_THROWS_AS(onnx_bytes(inverse, {}), Error);
}
