// A model as a unit of FMI, loaded and stepped by an importer that knows only the standard.
#include <doctest/doctest.h>

#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <renth/export/fmu.hpp>
#include <renth/table/module.hpp>
#include <support_files.hpp>
#include <support_kinds.hpp>

using namespace renth;
using namespace renth::test;
using nlohmann::json;

TEST_CASE("a unit of FMI computes what the library does" * doctest::skip(!has_module("renth-zip.so"))) {
  const auto model = std::make_shared<const Model>(model_of_every_kind());
  ModelAbout about;
  about.worth["chaos"] = "good: <é> \"quoted\" & more";
  const std::string bytes = fmu_bytes(*model, about, "some/where/a model-1.fmu");
  CHECK(bytes == fmu_bytes(*model, about, "some/where/a model-1.fmu"));
  const Eigen::MatrixXd points = settings_of_every_kind(*model, 60);
  const std::vector<std::string>& choices = model->problem.space[3].choices;
  json settings = json::array();
  for (Eigen::Index i = 0; i < points.rows(); ++i)
    settings.push_back({{"x1", points(i, 0)},
                        {"x2", points(i, 1)},
                        {"n", points(i, 2)},
                        {"kind", choices[std::size_t(points(i, 3))]}});
  settings.push_back({{"n", 3}});                // between levels
  settings.push_back({{"n", 1}, {"kind", 4}});   // no choice
  settings.push_back({{"kind", 1}, {"x1", 1}});  // well again
  const Scratch scratch;
  scratch.write("model.fmu", bytes);
  scratch.write("settings.json", settings.dump());
  const std::string at = scratch.path.string();
  const int status = std::system(("/usr/bin/python3 " RENTH_TESTS "/elsewhere/run_fmu.py " + at +
                                  "/model.fmu " + at + "/settings.json > " + at + "/out 2> " + at + "/err")
                                     .c_str());
  REQUIRE_MESSAGE(status == 0, slurp(scratch.path / "err"));
  const json said = json::parse(slurp(scratch.path / "out"));
  CHECK(said["files"] == json{"binaries/linux64/a_model_1.so", "modelDescription.xml", "resources/model.bin",
                              "sources/evaluate.c", "sources/fmi2.c"});
  const json& x2 = said["variables"]["x2"];
  CHECK(x2["unit"] == "m/s");
  CHECK(x2["causality"] == "input");
  CHECK(std::stod(x2["min"].get<std::string>()) == -2);
  CHECK(said["variables"]["kind"]["items"] == json{{"red", 1}, {"green", 2}, {choices[2], 3}});
  CHECK(said["variables"]["along[4]"]["type"] == "Real");
  REQUIRE(said["refusals"].size() == 2);
  CHECK(said["refusals"][0].get<std::string>().find("the guid is another") != std::string::npos);
  CHECK(said["refusals"][1].get<std::string>().find("cannot be read") != std::string::npos);
  const Predictions expected = Predictor(model).predict(points, 0.95, {.calibrated = false});
  for (const char* way : {"CoSimulation", "ModelExchange"}) {
    CAPTURE(way);
    CHECK(said[way]["starts"]["x1"] == 1.125);
    CHECK(said[way]["starts"]["kind"] == 1);
    const json& rows = said[way]["rows"];
    REQUIRE(rows.size() == settings.size());
    check_same(*model, expected, [&](const Response& r, bool deviation, Eigen::Index i, Eigen::Index q) {
      const std::string place = r.is_curve() ? "[" + std::to_string(q + 1) + "]" : "";
      return number_of(rows[std::size_t(i)][r.name + (deviation ? "_sd" : "") + place]);
    });
    for (Eigen::Index i = 0; i < points.rows(); ++i)
      CHECK(rows[std::size_t(i)]["inside"] == int(expected.inside[std::size_t(i)]));
    for (const std::size_t i : {std::size_t(points.rows()), std::size_t(points.rows()) + 1}) {
      CHECK(rows[i]["inside"] == 0);
      CHECK(std::isnan(number_of(rows[i]["blend"])));
      CHECK(std::isnan(number_of(rows[i]["shapes_sd[2]"])));
    }
    CHECK(std::isfinite(number_of(rows.back()["blend"])));
  }
}

TEST_CASE("names of a unit's variables do not meet" * doctest::skip(!has_module("renth-zip.so"))) {
  Model model = model_of_every_kind();
  for (std::size_t k = 0; k < model.parts.size(); ++k)
    if (!model.parts[k]) model.problem.responses[k].derive = nullptr;  // what is not predicted takes no names
  model.problem.responses[0].name = "inside";
  model.problem.responses[1].name = "inside_sd";
  const Scratch scratch;
  scratch.write("9.fmu", fmu_bytes(model, {}, "9.fmu"));
  scratch.write("settings.json", "[{}]");
  const std::string at = scratch.path.string();
  const int status = std::system(("/usr/bin/python3 " RENTH_TESTS "/elsewhere/run_fmu.py " + at + "/9.fmu " +
                                  at + "/settings.json > " + at + "/out 2> " + at + "/err")
                                     .c_str());
  REQUIRE_MESSAGE(status == 0, slurp(scratch.path / "err"));
  const json said = json::parse(slurp(scratch.path / "out"));
  for (const char* name : {"inside", "inside_", "inside_sd", "inside_sd_", "inside_sd_sd"})
    CHECK(said["variables"].contains(name));
  CHECK(said["variables"]["inside_"]["type"] == "Boolean");
  CHECK(said["files"][0] == "binaries/linux64/model_9.so");
}
