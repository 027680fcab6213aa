#include <doctest/doctest.h>

#include <cmath>

#include "tool.hpp"

using namespace renth::test;
using Json = nlohmann::json;

namespace {

const std::string plane_study = R"toml([study]
name = "bench"
[[parameter]]
name = "a"
span = [0, 4]
[[parameter]]
name = "b"
span = [-1, 1]
[[response]]
name = "y"
[[response]]
name = "z"
[solver]
kind = "manual"
)toml";

/// Twenty runs of a plane with a little scatter; run 14 was misread.
void make_bench(const Tool& tool) {
  tool.write("study.toml", plane_study);
  std::string table = "a,b,y,z\n";
  for (int i = 0; i < 20; ++i) {
    const double a = i % 5, b = -1 + (i / 5) * 2.0 / 3, scatter = 0.1 * std::sin(7.0 * i);
    table += std::to_string(a) + "," + std::to_string(b) + "," +
             std::to_string(2 + 3 * a - b + scatter + (i == 13 ? 8 : 0)) + "," + std::to_string(a * b) + "\n";
  }
  tool.write("t.csv", table);
  REQUIRE(tool("import t.csv").status == 0);
}

double predicted(const Tool& tool, const std::string& at) {
  return tool("predict --json --at " + at).json()["predictions"][0]["responses"]["y"]["mean"];
}

}  // namespace

TEST_CASE("a fit with and without a run, side by side") {
  const Tool tool;
  make_bench(tool);
  REQUIRE(tool("fit polynomial --model linear --as all --response y").status <= 1);
  const Json all = tool("trust --response y --json").json()["responses"][0];
  const double before = predicted(tool, "a=1,b=0.5");
  tool("set-aside 14 --why misread");
  REQUIRE(tool("fit polynomial --model linear --response y").status == 0);
  const Json one = tool("trust --against all --json").json()["responses"][0];
  const Json& c = one["against"];
  CHECK(c["name"] == "all");
  CHECK(c["only_against"] == Json::array({14}));
  CHECK(c["only_current"].empty());
  CHECK(c["quality"] == all["quality"]);
  CHECK(c["verdict"] == all["verdict"]);
  // What both left out of the same nineteen runs, from the residuals of each.
  const auto rms = [](const Json& residuals) {
    double sum = 0;
    for (const Json& r : residuals)
      if (r["id"] != 14) sum += std::pow(r["observed"].get<double>() - r["cross_validated"].get<double>(), 2);
    return std::sqrt(sum / 19);
  };
  CHECK(c["common"]["runs"] == 19);
  CHECK(c["common"]["rmse_cv"].get<double>() == doctest::Approx(rms(one["residuals"])));
  CHECK(c["common"]["rmse_cv_against"].get<double>() == doctest::Approx(rms(all["residuals"])));
  CHECK(c["compared_runs"][0]["id"] == 14);
  // The plane that was made: 2 + 3a − b is 8 + 6 (a coded) − 1 (b coded); only the fit without the misread
  // run holds it.
  int held = 0;
  for (const Json& t : c["terms"]) {
    const double truth = t["term"] == "1" ? 8 : t["term"] == "a" ? 6 : -1;
    CHECK(t["current"]["low"].get<double>() < truth);
    CHECK(t["current"]["high"].get<double>() > truth);
    held += t["against"]["high"].get<double>() - t["against"]["low"].get<double>() >
            10 * (t["current"]["high"].get<double>() - t["current"]["low"].get<double>());
  }
  CHECK(held == 3);
  const Json at = c["difference"]["point"];
  const std::string where =
      "a=" + std::to_string(at["a"].get<double>()) + ",b=" + std::to_string(at["b"].get<double>());
  const double without = predicted(tool, where);
  const std::string shown = tool("trust --against all").out;
  CHECK(contains(shown, "Only all: run 14."));
  CHECK(contains(shown, "current"));

  // Returned to, it predicts as it did; what was current is the one before.
  REQUIRE(tool("fit --return all").status <= 1);
  CHECK(predicted(tool, "a=1,b=0.5") == before);
  CHECK(std::abs(std::abs(predicted(tool, where) - without) - c["difference"]["largest"].get<double>()) <
        1e-5);
  CHECK(contains(tool("predict --at a=1 --json").json()["notes"].dump(), "runs were added or changed"));
  CHECK(tool("trust --response y --json").json()["responses"][0]["quality"] == all["quality"]);
  REQUIRE(tool("fit --return last").status == 0);
  CHECK(predicted(tool, where) == without);
}

TEST_CASE("fits are named, listed, forgotten; nothing kept is overwritten") {
  const Tool tool;
  make_bench(tool);
  CHECK(contains(tool("fit --list").out, "No fit has a name yet"));
  CHECK(contains(tool("fit --return base").err, "unknown fit base"));
  CHECK(contains(tool("fit --current --as base").err, "no response has been fitted yet"));
  REQUIRE(tool("fit polynomial --model linear --as base").status <= 1);
  const Json base = tool("fit --list --json").json()["fits"];
  REQUIRE(base.size() == 2);
  CHECK(base[0]["name"] == "base");
  CHECK(base[0]["response"] == "y");
  CHECK(base[0]["kind"] == "polynomial");
  CHECK(base[0]["runs"] == 20);
  CHECK(base[0]["current"] == true);

  const Answer taken = tool("fit kriging --as base --response z");
  CHECK(taken.status == 2);
  CHECK(contains(taken.err, "a fit of z is kept as base already"));
  for (const char* name : {"last", "..", "'a b'", "''", "a/b"}) {
    CAPTURE(name);
    CHECK(tool(std::string("fit kriging --response z --as ") + name).status ==
          (std::string(name) == "''" ? 0 : 2));
  }
  REQUIRE(tool("fit kriging --response z").status == 0);
  REQUIRE(tool("fit --current --as second --response z").status == 0);
  CHECK(contains(tool("trust --against secnd").err, "did you mean second?"));
  CHECK(contains(tool("fit --return second --response y").err, "y has no fit of the name second"));
  CHECK(contains(tool("trust --against second").out, "the other responses have no fit of the name second"));
  CHECK(contains(tool("fit --return base --choose both").err, "--choose"));
  REQUIRE(tool("fit --return base").status <= 1);
  CHECK(tool("fit --list --json").json()["fits"].size() == 4);  // base twice, second, last
  REQUIRE(tool("fit --forget base --response y").status == 0);
  CHECK(contains(tool("fit --forget base --response y").err, "no fit of the name base"));
  CHECK(tool("trust --against base").status <= 1);  // of z it is there
}

TEST_CASE("a fit of other runs or of another study is not returned to") {
  const Tool tool;
  make_bench(tool);
  REQUIRE(tool("fit polynomial --model linear --as base").status <= 1);
  const std::string before = tool("predict --at a=1 --json").out;
  std::string narrowed = plane_study;
  narrowed.replace(narrowed.find("[0, 4]"), 6, "[0, 3]");
  tool.write("study.toml", narrowed);
  CHECK(contains(tool("fit --return base").err, "the study has changed since"));
  CHECK(tool("fit --return base").status == 2);
  tool.write("study.toml", plane_study);
  CHECK(tool("fit --return base").status <= 1);
  CHECK(tool("predict --at a=1 --json").out == before);
}
