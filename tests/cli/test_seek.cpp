#include <doctest/doctest.h>

#include <cli/solver_study.hpp>
#include <cmath>

using namespace renth::test;
using nlohmann::json;

namespace {

const char* const scenarios = R"toml(
[[scenario]]
name = "calm"
goals = { y = "maximise" }
hold = { c = "red" }
[[scenario]]
name = "rough"
goals = { z = "minimise", y = "maximise" }
keep = ["y >= 4"]
)toml";

/// The formula study with exact quadratic surrogates.
void fitted(const Tool& tool, const std::string& kind = "polynomial --model quadratic", int runs = 30) {
  tool.write("study.toml", std::string(formula_study) + scenarios);
  REQUIRE(tool("plan latin-hypercube --runs " + std::to_string(runs)).status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit " + kind + " --json").status <= 1);
}

}  // namespace

// y is largest at a = 2.6, b = 0.2, green, on z = a + 2 b <= 3: 10.7824.
TEST_CASE("the region as good as the best, and what the limit that binds would bring") {
  const Tool tool;
  fitted(tool);
  const json s = tool("seek --maximise y --loss 0.5 --json").json();
  const json &best = s["proposals"][0], &near = s["near_best"];
  CHECK(best["point"]["a"].get<double>() == doctest::Approx(2.6));
  CHECK(best["point"]["b"].get<double>() == doctest::Approx(0.2));
  CHECK(best["limited_by"] == json{"z <= 3"});
  REQUIRE(best["gives"].size() == 1);
  CHECK(best["gives"][0]["response"] == "y");
  CHECK(best["gives"][0]["per_unit"].get<double>() ==
        doctest::Approx(0.85).epsilon(0.1));  // −2 (a − 3) and a little
  CHECK(near["loss"] == 0.5);
  CHECK(near["alone"]["a"][0].get<double>() == doctest::Approx(3 - std::sqrt(0.66)).epsilon(1e-3));
  CHECK(near["alone"]["a"][1].get<double>() == doctest::Approx(2.6).epsilon(1e-3));
  CHECK(near["alone"]["b"] == json{0.0, 0.2});
  CHECK(near["alone"]["c"] == json{"green"});
  CHECK(near["box"]["c"] == json{"green"});
  CHECK(near["regions"].size() == 1);
  CHECK(!has_note(s, "at_the_edge"));
  CHECK(has_note(tool("seek --minimise z --json").json(), "at_the_edge"));
  // A target that a whole ridge reaches: flat, and more than one is as good.
  const json ridge = tool("seek --target y=8 --loss 2 --json").json();
  CHECK(has_note(ridge, "flat"));
  CHECK(has_note(ridge, "equally_good"));
  CHECK((near["share"] > 0.005 && near["share"] < 0.1));
  const std::string table = tool("seek --maximise y --loss 5%").out;
  CHECK(contains(table, "As good as the best, to 0.539 kW of y"));
  CHECK(contains(table, "each unit by which \"z <= 3\" gave way would bring y +"));
  CHECK(contains(tool("seek --maximise y --loss much").err, "much is no loss"));
  // Pictures through the best show it.
  CHECK(tool("draw slices --response y --proposal 1 -o s.svg").status == 0);
  CHECK(contains(tool.read("s.svg"), "as good as the best"));
  CHECK(tool("draw contour --response y --x a --y b --proposal 1 -o c.svg").status == 0);
  CHECK(contains(tool.read("c.svg"), "as good as the best"));
  CHECK(tool("draw slices --response y --at a=1 -o s.svg").status == 0);
  CHECK(!contains(tool.read("s.svg"), "as good as the best"));
}

TEST_CASE("of the settings as good as the best the cheapest") {
  const Tool tool;
  fitted(tool);
  const json s = tool("seek --maximise y --loss 0.5 --then-minimise z --json").json();
  const json& r = s["proposals"][0]["responses"];
  CHECK(r["y"]["mean"].get<double>() >= 10.2824 - 1e-6);
  CHECK(r["z"]["mean"].get<double>() == doctest::Approx(3 - std::sqrt(0.308)).epsilon(1e-3));  // b = 0
  CHECK(contains(tool("seek --maximise y --then-minimise z --then-maximise z").err, "one thing"));
  CHECK(tool("seek --maximise y --then-minimise nothing").status == 2);
}

TEST_CASE("limits that cannot hold together are named, with how far each would have to give") {
  const Tool tool;
  fitted(tool);
  const Answer a = tool("seek --maximise y --keep 'z >= 3.5' --json");
  CHECK(a.status == 1);
  const json s = a.json();
  CHECK(s["feasible"] == false);
  CHECK(s["near_best"].is_null());
  REQUIRE(s["conflicts"].size() == 1);
  CHECK(s["conflicts"][0]["limits"] == json{"z >= 3.5", "z <= 3"});
  for (const json& give : s["conflicts"][0]["give"])
    CHECK(give["by"].get<double>() == doctest::Approx(0.5).epsilon(1e-3));
  CHECK(contains(tool("seek --maximise y --keep 'z >= 3.5'").out, "cannot hold together"));
}

TEST_CASE("several scenarios stand side by side, and their proposals have their names") {
  const Tool tool;
  fitted(tool);
  const json s = tool("seek --scenario calm,rough --json").json();
  REQUIRE(s["scenarios"].size() == 2);
  CHECK(s["scenarios"][0]["scenario"] == "calm");
  CHECK(s["proposals"] == s["scenarios"][0]["proposals"]);
  CHECK(s["proposals"][0]["point"]["c"] == "red");
  CHECK(s["scenarios"][1]["proposals"][0]["responses"]["y"]["mean"].get<double>() >= 4 - 1e-9);
  CHECK(s["scenarios"][1]["singly"].size() == 2);
  CHECK(contains(tool("seek --scenario calm,rough").out, "The best of each scenario"));
  const json first = tool("confirm --proposal 1 --json").json()["proposals"][0];
  CHECK(first["point"] == s["proposals"][0]["point"]);
  const json rough = tool("confirm --proposal rough:1 --json").json()["proposals"][0];
  CHECK(rough["point"] == s["scenarios"][1]["proposals"][0]["point"]);
  CHECK(rough["scenario"] == "rough");
  CHECK(contains(tool("confirm --proposal ruogh:1").err, "did you mean rough"));
  CHECK(contains(tool("confirm --proposal rough:9").err, "there is no proposal rough:9"));
  CHECK(contains(tool("confirm --proposal two").err, "not the rank"));
}

TEST_CASE("with a probability the bound of the prediction keeps the limit, not only the mean") {
  const Tool tool;
  fitted(tool, "kriging --trend constant", 14);
  const json plain = tool("seek --maximise y --json").json()["proposals"][0]["responses"]["z"];
  const json sure =
      tool("seek --maximise y --probability 0.975 --json").json()["proposals"][0]["responses"]["z"];
  CHECK(plain["prediction"][1].get<double>() > 3);
  CHECK(sure["prediction"][1].get<double>() <= 3 + 1e-6);  // two-sided 95 %
  CHECK(sure["probability"].get<double>() > 0.9);
  CHECK(plain["probability"].get<double>() < 0.7);
  for (const char* wrong : {"0.5", "1", "95", "-1"})
    CHECK(contains(tool("seek --maximise y --probability " + std::string(wrong)).err, "no probability"));
}

TEST_CASE("the trade-off is not dominated, obeys limits, is kept and drawn") {
  const Tool tool;
  fitted(tool);
  const json s = tool("seek --front --points 20 --json").json();
  const json& front = s["front"];
  REQUIRE(front.size() > 10);
  CHECK(front.size() <= 20);
  int knees = 0;
  for (std::size_t i = 0; i < front.size(); ++i) {
    knees += front[i]["knee"].get<bool>();
    CHECK(front[i]["responses"]["z"]["mean"].get<double>() <= 3 + 1e-9);
    if (i > 0) {  // y falls, and so must z
      CHECK(front[i]["responses"]["y"]["mean"] < front[i - 1]["responses"]["y"]["mean"]);
      CHECK(front[i]["responses"]["z"]["mean"] < front[i - 1]["responses"]["z"]["mean"]);
    }
  }
  CHECK(knees == 1);
  CHECK(contains(tool("seek --front").out, "Trade-off: "));
  for (const char* figure : {"front", "parallel"}) {
    CHECK(tool("draw " + std::string(figure) + " -o f.svg").status == 0);
    CHECK(contains(tool.read("f.svg"), "<svg"));
  }
  tool("seek --maximise y");
  CHECK(contains(tool("draw front -o f.svg").err, "no front was found yet"));
  CHECK(contains(tool("seek --maximise y --front").err, "two to five goals"));
}

TEST_CASE("settings are kept by name") {
  const Tool tool;
  fitted(tool);
  CHECK(contains(tool("mark").out, "No setting is marked"));
  CHECK(contains(tool("mark good --proposal 1").err, "nothing was sought yet"));
  const json best = tool("seek --maximise y --json").json()["proposals"][0]["point"];
  CHECK(tool("mark good --proposal 1").status == 0);
  CHECK(tool("mark other --at a=1,c=green").status == 0);
  const json marks = tool("mark --list --json").json()["marks"];
  REQUIRE(marks.size() == 2);
  CHECK(marks[0]["mark"] == "good");
  CHECK(marks[0]["point"] == best);
  CHECK(tool("draw slices --mark good -o s.svg").status == 0);
  CHECK(tool("confirm --mark other --json").json()["proposals"][0]["point"]["a"] == 1);
  CHECK(contains(tool("confirm --mark ohter").err, "did you mean other"));
  CHECK(contains(tool("mark good --at a=2").err, "there is a mark good already"));
  CHECK(contains(tool("mark 'no name' --at a=2").err, "is no name"));
  CHECK(tool("mark --remove good").status == 0);
  CHECK(tool("mark --json").json()["marks"].size() == 1);
  // A mark that the study has grown out of is told, not forgotten.
  std::string text = tool.read("study.toml");
  CHECK(tool("mark third --at c=red").status == 0);
  text.replace(text.find("\"red\", \"green\""), 14, "\"green\", \"blue\"");
  text.replace(text.find("hold = { c = \"red\" }"), 20, "");
  tool.write("study.toml", text);
  CHECK(has_note(tool("mark --list --json").json(), "no_longer_fits"));
}

TEST_CASE("from nothing to a confirmed best in one command, which goes on where it was") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  const Answer a = tool("seek --refine 5 --maximise y --json");
  CHECK(a.status == 0);
  const json s = a.json();
  CHECK(contains(s["verdict"], "confirmed on the solver"));
  REQUIRE(s["history"].size() >= 1);
  const json& last = s["history"].back();
  CHECK(std::abs(last["predicted"]["y"].get<double>() / last["computed"]["y"].get<double>() - 1) < 0.02);
  CHECK(contains(a.err, "no runs yet: planned"));
  CHECK(contains(a.err, "round 1: run"));
  const std::size_t runs = tool("runs --json").json()["runs"].size();
  const json again = tool("seek --refine 5 --maximise y --json").json();
  CHECK(again["history"].size() == s["history"].size());
  CHECK(tool("runs --json").json()["runs"].size() == runs);  // the same best was computed already
  CHECK(contains(tool("seek --refine 2 --front").err, "only one best setting"));
  CHECK(tool("draw history -o h.svg").status == 0);
  CHECK(contains(tool.read("h.svg"), "<svg"));
  // Another goal has a history of its own.
  const Answer other = tool("seek --refine 3 --minimise z --keep 'y >= 5'");
  CHECK(contains(other.out, "z predicted"));
  CHECK(!contains(other.out, "y predicted"));
}

TEST_CASE("a best that does not hold is not called confirmed") {
  // The solver jumps where the surrogates see nothing coming.
  const Tool tool;
  std::string study = formula_study;
  study.replace(study.find("10 - (a - 3)^2"), 14, "(a > 2.8 && a < 3.2 ? 5 : 10) - (a - 3)^2");
  tool.write("study.toml", study);
  const Answer a = tool("seek --refine 1 --maximise y --keep 'z <= 9' --json");
  CHECK(a.status == (contains(a.json()["verdict"], "confirmed") ? 0 : 1));
  CHECK(a.json()["history"].size() >= 1);
  if (a.status == 1) CHECK(has_note(a.json(), "not_confirmed"));
}

TEST_CASE(
    "the limit of a curve holds at every axis point, and a computed curve is laid over the predicted one") {
  const Tool tool;
  std::string study = formula_study;
  study.insert(study.find("[solver]"),
               "[[axis]]\nname = \"t\"\npoints = [0, 1, 2]\n[[response]]\nname = \"f\"\nalong = "
               "\"t\"\naccept = { max = 6 }\n");
  study += "f = \"a * (1 + t)\"\n";
  tool.write("study.toml", study);
  tool("plan latin-hypercube --runs 30");
  tool("run -q");
  REQUIRE(tool("fit polynomial --model quadratic --json").status <= 1);
  const json s = tool("seek --maximise y --json").json();
  CHECK(s["feasible"] == true);
  const json& best = s["proposals"][0];
  CHECK(best["point"]["a"].get<double>() == doctest::Approx(2).epsilon(1e-6));  // 3 a <= 6
  CHECK(best["limited_by"] == json{"f <= 6 all along t"});
  CHECK(best["responses"]["f"]["within"] == true);
  CHECK(contains(tool("draw curve --response f --proposal 1 --computed -o c.svg").err,
                 "no run has computed f"));
  const auto confirmed = tool("confirm --json");
  REQUIRE(confirmed.status == 0);
  const json of = confirmed.json()["proposals"][0]["responses"]["f"];
  REQUIRE(of["computed"].size() == 3);
  CHECK(of["computed"][2].get<double>() == doctest::Approx(6));
  CHECK(of["predicted"][1].get<double>() == doctest::Approx(4));
  CHECK(contains(tool("confirm").out, "points along t inside"));
  CHECK(tool("draw curve --response f --proposal 1 --computed -o c.svg").status == 0);
  CHECK(contains(tool.read("c.svg"), "computed here"));
}

TEST_CASE("a curve may have a limit at each of its axis points") {
  Tool tool;
  std::string study = formula_study;
  study.insert(study.find("[solver]"),
               "[[axis]]\nname = \"t\"\npoints = [0, 1, 2]\n[[response]]\nname = \"f\"\nalong = "
               "\"t\"\naccept = { max = [5, 3, 100] }\n");
  study += "f = \"a * (1 + t)\"\n";
  tool.write("study.toml", study);
  tool("plan latin-hypercube --runs 30");
  tool("run -q");
  REQUIRE(tool("fit polynomial --model quadratic --json").status <= 1);
  const json best = tool("seek --maximise y --json").json()["proposals"][0];
  CHECK(best["point"]["a"].get<double>() == doctest::Approx(1.5).epsilon(1e-6));  // 2 a <= 3
  CHECK(best["limited_by"] == json{"f <= its limits along t"});
  CHECK(best["responses"]["f"]["within"] == true);
  CHECK(contains(tool("check").out, "<= 3 … 100 along its axis"));
  tool.write("study.toml", std::string(study).replace(study.find("[5, 3, 100]"), 11, "[5, 3]"));
  CHECK(contains(tool("check").err, "2 limits for 3 axis points"));
  tool.write("study.toml", std::string(study).replace(study.find("along = \"t\"\n"), 12, ""));
  CHECK(contains(tool("check").err, "a list of limits for a single number"));
}
