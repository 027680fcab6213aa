// Hard parameters, blocks, several models and repeats, from the study file to the verdict.
#include <doctest/doctest.h>

#include <cli/tool.hpp>
#include <cmath>
#include <map>
#include <renth/numeric/random.hpp>
#include <set>

using namespace renth::test;
using nlohmann::json;

namespace {

const char* const kiln_study = R"toml([study]
name = "Cured hulls"
seed = 3
[[parameter]]
name = "heat"
unit = "°C"
span = [140, 180]
hard = true
[[parameter]]
name = "radius"
unit = "m"
span = [3, 7]
[[parameter]]
name = "draft"
unit = "m"
span = [1, 3]
[[response]]
name = "power"
goal = "maximise"
[solver]
kind = "manual"
repeatable = false
)toml";

/// Responses of the planned runs, with an error a block and one a run.
std::string measured(const json& plan, double of_block, double of_run) {
  renth::Stream stream(7, "measured");
  std::map<int, double> blocks;
  std::string table = "id,power\n";
  for (const json& run : plan["runs"]) {
    const json& at = run["point"];
    const double h = (at["heat"].get<double>() - 160) / 20, a = (at["radius"].get<double>() - 5) / 2,
                 d = at["draft"].get<double>() - 2;
    const auto [block, added] = blocks.emplace(run["block"].get<int>(), 0.0);
    if (added) block->second = of_block * stream.normal();
    table += std::to_string(run["id"].get<int>()) + "," +
             std::to_string(10 + 2 * a - d + 0.7 * a * d - 0.8 * a * a + 0.2 * h + block->second +
                            of_run * stream.normal()) +
             "\n";
  }
  return table;
}

}  // namespace

TEST_CASE("hard parameters: planned in whole plots, assessed, fitted and trusted with both errors") {
  const Tool tool;
  tool.write("study.toml", kiln_study);
  CHECK(contains(tool("check").out, "hard to set anew"));
  const Answer chosen = tool("plan --dry-run --json");
  CHECK(chosen.json()["method"] == "optimal");
  CHECK(contains(tool("plan latin-hypercube --runs 20 --dry-run").out,
                 "sets hard parameters anew for every run"));
  const json plan = tool("plan optimal --runs 24 --whole-plots 8 --json").json();
  std::map<int, std::set<double>> heats;
  for (const json& run : plan["runs"])
    heats[run["block"].get<int>()].insert(run["point"]["heat"].get<double>());
  CHECK(heats.size() == 8);
  for (const auto& [block, values] : heats) CHECK(values.size() == 1);
  const json judged = tool("assess --json").json();
  CHECK(judged["whole_plots"] == 8);
  for (const json& term : judged["terms"])
    CHECK(term["df"] == (term["term"] == "heat" || term["term"] == "heat^2" || term["term"] == "1" ? 5 : 9));
  CHECK(contains(tool("assess").out, "setting the hard parameters anew"));

  tool.write("measured.csv", measured(plan, 1.0, 0.2));
  REQUIRE(tool("import measured.csv").status == 0);
  const json model = tool("fit polynomial --json").json()["models"][0];
  REQUIRE(model["strata"].size() == 2);
  CHECK(model["strata"][0]["error"] == "whole_plots");
  CHECK(model["strata"][0]["df"] == 5);
  CHECK(model["strata"][0]["sd"].get<double>() > 2 * model["strata"][1]["sd"].get<double>());
  CHECK(model["quality"]["press"].is_null());
  const Answer shown = tool("fit polynomial");
  CHECK(contains(shown.out, "24 runs in 8 whole plots"));
  CHECK(contains(shown.out, "between 8 whole plots (5 degrees of freedom"));
  CHECK(contains(tool("trust").out, "cross-validated, 8 folds"));
  CHECK(tool("rank effects").status <= 1);
  CHECK(tool("seek").status <= 1);
  CHECK(tool("report -o r.html").status <= 1);
  CHECK(contains(tool.read("r.html"), "between 8 whole plots (5 degrees of freedom"));
  CHECK(contains(tool.read("r.html"), "hard to set anew"));
  // Planned further plots are numbered on, and counted as plots of their own.
  const json more = tool("plan extend fit-1 --runs 6 --json").json();
  for (const json& run : more["runs"]) CHECK(run["block"].get<int>() > 7);
}

TEST_CASE("blocks, models and repeats of an optimal plan by the tool") {
  const Tool tool;
  std::string study = kiln_study;
  study.erase(study.find("hard = true\n"), 12);
  tool.write("study.toml", study);
  const json plan =
      tool("plan optimal --runs 24 --blocks 3 --pure-error 4 --model linear --model quadratic --json").json();
  std::map<int, int> of_block;
  std::multiset<std::string> points;
  for (const json& run : plan["runs"]) {
    ++of_block[run["block"].get<int>()];
    points.insert(run["block"].dump() + run["point"].dump());
  }
  CHECK(of_block.size() == 3);
  for (const auto& [block, count] : of_block) CHECK(count == 8);
  CHECK(24 - std::set<std::string>(points.begin(), points.end()).size() >= 4);
  CHECK(contains(plan["notes"].dump(), "4 were asked for"));
  CHECK(tool("assess").status == 0);  // by the richer of the two models
  CHECK(contains(tool("assess").out, "draft^2"));
  tool.write("measured.csv", measured(plan, 1.0, 0.2));
  REQUIRE(tool("import measured.csv").status == 0);
  const json anova = tool("fit polynomial --json").json()["models"][0]["anova"];
  for (const json& row : anova)
    if (row["source"] == "pure_error") CHECK(row["df"].get<int>() >= 4);
  CHECK(tool("plan optimal --whole-plots 4").status == 2);
  CHECK(contains(tool("plan optimal --whole-plots 4").err, "no parameter is hard"));
  CHECK(contains(tool("plan sobol --pure-error 4").err, "does not take --pure-error"));
}

TEST_CASE("a Latin hypercube even in projections, with more effort, as its recipe says") {
  const Tool tool;
  tool.write("study.toml", kiln_study);
  REQUIRE(tool("plan latin-hypercube --criterion projection --effort 2 --runs 12").status == 0);
  CHECK(tool("plan extend fit-1 --runs 12").status == 0);
  CHECK(contains(tool("plan latin-hypercube --criterion even").err, "projection"));
  CHECK(tool("plan latin-hypercube --effort 0").status == 2);
}

TEST_CASE("responses are fitted side by side: the same model on one thread and on two, notes in order") {
  const Tool one, two;
  for (const Tool* tool : {&one, &two}) {
    tool->write(
        "study.toml",
        "[study]\nname = \"many\"\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n[[parameter]]\nname = "
        "\"b\"\nspan = [0, 1]\n" +
            [] {
              std::string responses, formula;
              for (int k = 0; k < 7; ++k) {
                const std::string y = "y" + std::to_string(k);
                responses += "[[response]]\nname = \"" + y + "\"\n";
                formula += y + " = \"sin(" + std::to_string(k + 1) + " * a) + b^2\"\n";
              }
              return responses + "[solver]\nkind = \"formula\"\n[solver.formula]\n" + formula;
            }());
    REQUIRE(tool->operator()("plan sobol --runs 16").status == 0);
    REQUIRE(tool->operator()("run --quiet").status == 0);
  }
  const Answer a = one("fit --threads 1 --json"), b = two("fit --threads 2 --json");
  CHECK(a.out == b.out);
  REQUIRE(one("export model -o m.bin").status <= 1);
  REQUIRE(two("export model -o m.bin").status <= 1);
  CHECK(one.read("m.bin") == two.read("m.bin"));
  std::vector<std::string> order;
  const json document = a.json();
  for (const json& model : document["models"]) order.push_back(model["response"]);
  CHECK(order == std::vector<std::string>{"y0", "y1", "y2", "y3", "y4", "y5", "y6"});
}
