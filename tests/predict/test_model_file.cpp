#include <doctest/doctest.h>

#include <boost/crc.hpp>
#include <cmath>
#include <nlohmann/json.hpp>
#include <renth/fit/along_axis.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/predictor.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/space/region.hpp>
#include <support.hpp>

using namespace renth;
using namespace renth::test;

namespace {

/// A fitted model with one of everything: a step, levels, a choice, a fixed parameter, a limit, a curve, a
/// derived response, a goal with limits, a scenario.
Model of_everything() {
  Problem p;
  p.name = "buoy";
  Parameter draft = continuous("draft", 1, 6);
  draft.unit = "m";
  draft.step = 0.25;
  draft.nominal = 3.5;
  draft.scatter = {Scatter::Shape::normal, 0.02, true};
  const std::vector<Parameter> parameters = {continuous("radius", 3, 8), draft, levels("fins", {0, 2, 4, 8}),
                                             choice("hull", {"steel", "composite"})};
  p.space = Space(parameters);
  p.fixed = {{"depth", "water depth", "m", 50.0}, {"site", "", "", std::string("north")}};
  p.order = {"radius", "depth", "draft", "fins", "site", "hull"};
  p.axes = {{"period", "s", {5, 7, 9.5}}};
  for (const char* name : {"power", "absorbed", "ratio"}) {
    p.responses.emplace_back();
    p.responses.back().name = name;
  }
  p.responses[0].goal = Goal::Aim::target;
  p.responses[0].target = 12.5;
  p.responses[0].accept.min = 0.1;
  p.responses[1].axis = 0;
  p.responses[2].derive = p.derivation(2, "power / (1 + max(absorbed)^2) + depth", "ratio");
  p.space = Space(parameters, {p.limit("draft <= 2.2 * radius && (hull != 'steel' || draft <= 6)", "limit")});
  p.scenarios = {
      {"sheltered", {{"power", Goal::Aim::minimise, 0}}, {"power <= 3"}, {{"hull", std::string("steel")}}}};

  const Eigen::MatrixXd runs = sample_region(p.space, 40, Values::settable, 1, "runs");
  const Data power = data_of(runs, [](const Eigen::VectorXd& x) {
    return std::sin(x[0]) * x[1] + (x[3] == 1 ? x[2] : 1 / (1 + x[2]));
  });
  Data curve = power;
  curve.outputs.resize(40, 3);
  for (int q = 0; q < 3; ++q) curve.outputs.col(q) = power.outputs.col(0) * (q + 1) + runs.col(0);
  const auto part = [&](const Data& data, const Fit& fit) {
    const CrossValidation cv = cross_validate(p.space, data, make_folds(p.space, data, 1), fit, 1);
    return std::make_shared<const Model::Part>(
        Model::Part{fit(p.space, data, 1), fold_models(cv, data.outputs), "usable"});
  };
  Model out{p, {}, Coverage(p.space, runs), nullptr};
  out.parts.resize(3);
  out.parts[0] = part(power, kriging_fit({.kernel = Kernel::matern52}));
  out.parts[1] = part(curve, along_axis({polynomial_fit({parse_terms(p.space, "linear")})}));
  return out;
}

const Model& model() {
  static const Model once = of_everything();
  return once;
}
const std::string& text() {
  static const std::string once = model_text(model());
  return once;
}

}  // namespace

TEST_CASE("a model read from its file predicts the same bits and asks the same") {
  const auto back = std::make_shared<const Model>(read_model(text(), "m.json"));
  const Predictor before(std::make_shared<const Model>(model())), after(back);
  const Eigen::MatrixXd at = sample_region(model().problem.space, 50, Values::physical, 2, "points");
  const Predictions a = before.predict(at, 0.9), b = after.predict(at, 0.9);
  REQUIRE(a.responses.size() == 3);
  REQUIRE(b.responses.size() == 3);
  for (std::size_t k = 0; k < 3; ++k) {
    CHECK(a.responses[k].mean == b.responses[k].mean);
    CHECK(a.responses[k].sd == b.responses[k].sd);
    CHECK(a.responses[k].prediction_low == b.responses[k].prediction_low);
    CHECK(a.responses[k].calibrated_high == b.responses[k].calibrated_high);
  }
  CHECK(a.inside == b.inside);
  CHECK(before.margins(at) == after.margins(at));
  CHECK(model_text(*back) == text());
  const Problem& p = back->problem;
  CHECK(p.order == model().problem.order);
  CHECK(p.space[1].step == 0.25);
  CHECK(p.space[1].scatter.relative);
  CHECK(std::get<std::string>(p.fixed[1].value) == "north");
  CHECK(p.responses[0].goal == Goal::Aim::target);
  CHECK(p.responses[0].accept.min == 0.1);
  CHECK_FALSE(p.responses[0].accept.max);
  CHECK(p.scenarios[0].hold == model().problem.scenarios[0].hold);
  CHECK(back->parts[0]->verdict == "usable");
}

TEST_CASE("the file says in plain JSON what it holds, and its checksum is the CRC-32 that everybody has") {
  const auto document = nlohmann::json::parse(text());
  CHECK(document["problem"]["parameters"][0]["parameter"] == "radius");
  CHECK(document["problem"]["limits"][0] == "draft <= 2.2 * radius && (hull != 'steel' || draft <= 6)");
  CHECK(document["surrogates"][0]["surrogate"]["kind"] == "kriging");
  std::vector<std::string> names;
  for (const auto& value : document["surrogates"][0]["surrogate"]["values"]) names.push_back(value["name"]);
  CHECK(std::count(names.begin(), names.end(), "theta") == 1);
  boost::crc_32_type crc;
  const std::size_t end = text().rfind(",\"crc32\"");
  crc.process_bytes(text().data(), end);
  CHECK(std::stoul(document["crc32"].get<std::string>(), nullptr, 16) == crc.checksum());
}

TEST_CASE("a damaged model is refused, wherever the damage is") {
  for (std::size_t at = 3; at < text().size(); at += text().size() / 97) {
    CAPTURE(at);
    std::string damaged = text();
    damaged[at] = damaged[at] == 'x' ? 'y' : 'x';
    CHECK_THROWS_AS(read_model(damaged, "m.json"), Error);
  }
  for (const std::size_t length : {std::size_t(0), std::size_t(1), text().size() / 2, text().size() - 12})
    CHECK_THROWS_AS(read_model(text().substr(0, length), "m.json"), Error);
  CHECK_THROWS_WITH_AS(read_model("{\"hello\": 1}", "m.json"),
                       "this is not a model: m.json: name a file that renth export model wrote, unchanged",
                       Error);
}

namespace {

/// The model with something else written in it, and sealed again.
std::string rewritten(const std::function<void(nlohmann::ordered_json&)>& change) {
  auto document = nlohmann::ordered_json::parse(text());
  document.erase("crc32");
  change(document);
  std::string out = document.dump();
  out.pop_back();
  boost::crc_32_type crc;
  crc.process_bytes(out.data(), out.size());
  char sum[9];
  std::snprintf(sum, sizeof sum, "%08x", crc.checksum());
  return out + ",\"crc32\":\"" + sum + "\"}\n";
}

}  // namespace

TEST_CASE("a model that contradicts itself is refused with what and where") {
  using J = nlohmann::ordered_json;
  CHECK_NOTHROW(read_model(rewritten([](J&) {}), "m.json"));
  const std::vector<std::pair<const char*, std::function<void(J&)>>> changes = {
      {"newer version", [](J& d) { d["version"] = 99; }},
      {"unknown kind", [](J& d) { d["surrogates"][0]["surrogate"]["kind"] = "tea"; }},
      {"values cut", [](J& d) { d["surrogates"][0]["surrogate"]["values"].erase(20); }},
      {"no problem", [](J& d) { d.erase("problem"); }},
      {"span reversed",
       [](J& d) {
         d["problem"]["parameters"][0]["span"] = {8, 3};
       }},
      {"parameter more",
       [](J& d) {
         d["problem"]["parameters"].push_back(d["problem"]["parameters"][0]);
         d["problem"]["parameters"][4]["parameter"] = "extra";
       }},
      {"derive of nothing", [](J& d) { d["problem"]["responses"][2]["derive"] = "nonsense + 1"; }},
      {"limit that is a number", [](J& d) { d["problem"]["limits"][0] = "radius + 1"; }},
      {"axis shorter",
       [](J& d) {
         d["problem"]["axes"][0]["points"] = {5, 7};
       }},
      {"response gone", [](J& d) { d["surrogates"][0]["response"] = "gone"; }},
      {"fold out of range", [](J& d) { d["surrogates"][0]["fold_surrogates"] = J::array(); }},
      {"coverage of other parameters", [](J& d) { d["coverage"]["values"][0] = d["coverage"]["values"][1]; }},
      {"a number for a text", [](J& d) { d["problem"]["name"] = 3; }},
  };
  for (const auto& [what, change] : changes) {
    CAPTURE(what);
    CHECK_THROWS_AS(read_model(rewritten(change), "m.json"), Error);
  }
}
