#include <doctest/doctest.h>

#include <cli/tool.hpp>
#include <cmath>
#include <renth/workflow/narrowing.hpp>

using namespace renth::test;
using nlohmann::json;

namespace {

const char* const ranked_study = R"toml([study]
name = "ranked"
seed = 5
[[parameter]]
name = "a"
span = [0, 2]
[[parameter]]
name = "b"
span = [-1, 1]
[[parameter]]
name = "hull"
choices = ["steel", "wood"]
[[parameter]]
name = "idle"
span = [10, 20]
[[axis]]
name = "t"
points = [0, 1, 2]
[[response]]
name = "y"
unit = "kW"
[[response]]
name = "flat"
[[response]]
name = "f"
along = "t"
[[response]]
name = "twice"
derive = "2 * y"
[solver]
kind = "formula"
[solver.formula]
y = "3 * a + 4 * b * b + (hull == 'wood' ? 1 : 0)"
flat = "7"
f = "a * t"
)toml";

json of(const json& document, const std::string& response) {
  for (const json& r : document["responses"])
    if (r["response"] == response) return r;
  FAIL("not ranked: " << response);
  return {};
}

json parameter(const json& ranking, const std::string& name) {
  for (const json& p : ranking["parameters"])
    if (p["parameter"] == name) return p;
  FAIL("not ranked: " << name);
  return {};
}

}  // namespace

TEST_CASE("before any surrogate the runs are ranked, by effects unless another way is asked for") {
  const Tool tool;
  tool.write("study.toml", ranked_study);
  CHECK(tool("rank").status == 2);  // no runs yet
  tool("plan latin-hypercube --runs 60");
  REQUIRE(tool("run").status == 0);
  const Answer all = tool("rank --json");
  CHECK(all.status == 0);
  const json document = all.json();
  const json y = of(document, "y"), twice = of(document, "twice"), f = of(document, "f");
  CHECK(y["method"] == "effects");
  CHECK(y["basis"] == "runs");
  CHECK(y["runs"] == 60);
  CHECK(y["uncaptured"].is_null());
  CHECK(parameter(y, "a")["effect"].get<double>() == doctest::Approx(6).epsilon(1e-6));
  CHECK(parameter(y, "hull")["effect"].get<double>() == doctest::Approx(1).epsilon(1e-6));
  // b has no slope, and still is not said to do nothing.
  const std::string said = tool("rank effects --response y").out;
  CHECK(contains(said, "Beyond main effects: b² ("));
  CHECK_FALSE(contains(said.substr(0, said.find("\n\n")), "Not significant: b"));
  CHECK(parameter(twice, "a")["effect"].get<double>() == doctest::Approx(12).epsilon(1e-6));
  CHECK(parameter(f, "a")["effect"].get<double>() == doctest::Approx(2).epsilon(1e-6));  // its mean along t
  // Of what never varies a note says so, and the others are ranked; named, it is an error.
  CHECK(contains(document["notes"].dump(), "flat: the response never varies"));
  const Answer flat = tool("rank --response flat");
  CHECK(flat.status == 2);
  CHECK(contains(flat.err, "never varies"));
  for (const char* method : {"effects", "correlations", "first-order", "dependence"}) {
    CAPTURE(method);
    const json r = of(tool(std::string("rank ") + method + " --response y --json").json(), "y");
    CHECK(r["method"] == method);
    CHECK(r["basis"] == "runs");
    CHECK(r["parameters"].size() == 4);
    for (const json& p : r["parameters"]) {
      CHECK(p["low"].get<double>() <= p["share"].get<double>());
      CHECK(p["share"].get<double>() <= p["high"].get<double>());
    }
    CHECK(r["parameters"][0]["parameter"] == "a");
    const std::string text = tool(std::string("rank ") + method + " --response y").out;
    CHECK(contains(text, "60 runs"));
  }
  const json correlations = of(tool("rank correlations --response y --json").json(), "y");
  CHECK(parameter(correlations, "a")["direction"] == "up");
  CHECK(parameter(correlations, "a")["spearman_interval"].size() == 2);
  CHECK(parameter(correlations, "b")["direction"] == "none");
  CHECK(parameter(of(tool("rank dependence --response y --json").json(), "y"), "a")["p"].get<double>() <
        0.05);
  const Answer shares = tool("rank shares --response y");
  CHECK(shares.status == 2);
  CHECK(contains(shares.err, "fit"));
  CHECK(contains(tool("rank effcts").err, "did you mean effects"));
}

TEST_CASE("paths are planned, run and ranked, a failure costing the steps beside it alone") {
  const Tool tool;
  tool.write("study.toml", ranked_study);
  const json plan = tool("plan trajectories --runs 33 --json").json();
  CHECK(plan["runs"].size() == 30);  // six paths of five runs
  CHECK(plan["runs"][0]["origin"] == "trajectory");
  REQUIRE(tool("run").status == 0);
  const auto steps = [](const json& r) {
    int sum = 0;
    for (const json& p : r["parameters"]) sum += p["steps"].get<int>();
    return sum;
  };
  const json r = of(tool("rank trajectories --response y --json").json(), "y");
  CHECK(r["basis"] == "runs");
  CHECK(parameter(r, "a")["mean"].get<double>() == doctest::Approx(6));
  CHECK(parameter(r, "a")["says"] == "linear");
  CHECK(parameter(r, "b")["says"] == "curved or interacting");
  CHECK(parameter(r, "idle")["says"] == "inert");
  CHECK(parameter(r, "hull")["mean"].get<double>() == doctest::Approx(1));
  REQUIRE(tool("set-aside 2 --why broken").status == 0);
  CHECK(steps(of(tool("rank trajectories --response y --json").json(), "y")) == steps(r) - 2);
  CHECK(contains(tool("rank trajectories --response y").out, "Inert: idle"));
  // Runs that are no paths are refused, with what to do.
  const Tool other;
  other.write("study.toml", ranked_study);
  other("plan latin-hypercube --runs 20");
  REQUIRE(other("run").status == 0);
  const Answer none = other("rank trajectories --response y");
  CHECK(none.status == 2);
  CHECK(contains(none.err, "no trajectories"));
  CHECK(contains(none.err, "renth plan trajectories"));
}

TEST_CASE("on a surrogate: shares with totals, slopes, swings, and what may be fixed") {
  const Tool tool;
  tool.write("study.toml", ranked_study);
  tool("plan latin-hypercube --runs 60");
  REQUIRE(tool("run").status == 0);
  REQUIRE(tool("fit polynomial --model \"quadratic\" --response y").status == 0);
  REQUIRE(tool("fit kriging --response f").status == 0);
  const json document = tool("rank --response y,f --screen 0.02 --json").json();
  const json y = of(document, "y");
  CHECK(y["method"] == "sobol");
  // 9 · 4/12, 16 · 4/45 and 1/4.
  const double a = 3, b = 16 * 4.0 / 45, hull = 0.25, all = a + b + hull;
  CHECK(parameter(y, "a")["share"].get<double>() == doctest::Approx(a / all).epsilon(1e-3));
  CHECK(parameter(y, "b")["total"].get<double>() == doctest::Approx(b / all).epsilon(1e-3));
  CHECK(parameter(y, "hull")["total_interval"][1].get<double>() > hull / all - 1e-3);
  const json screen = document["screen"];
  CHECK(screen["threshold"] == 0.02);
  CHECK(screen["fix"] == json::array({"idle"}));
  CHECK(screen["keep"] == json::array({"a", "b", "hull"}));
  for (const json& r : screen["responses"]) {
    CHECK(r["q2_kept"].get<double>() > r["q2"].get<double>() - 1e-3);
    CHECK(r["q2_kept"].get<double>() < 1.0000001);
  }
  CHECK(contains(tool("rank --screen 0.02 --response y,f").out, "certainly: idle."));
  // The whole of the effect of b is curved: a bound by slopes, swings from the middle to an end.
  const json slopes = of(tool("rank derivatives --response y --json").json(), "y");
  CHECK(parameter(slopes, "a")["bound"].get<double>() ==
        doctest::Approx(36 / (M_PI * M_PI) / all).epsilon(1e-3));
  const json local = of(tool("rank local --response y --at a=1,b=0.5 --json").json(), "y");
  CHECK(local["at"]["b"] == 0.5);
  CHECK(parameter(local, "a")["slope"].get<double>() == doctest::Approx(3).epsilon(1e-6));
  CHECK(parameter(local, "a")["swing"].get<double>() == doctest::Approx(6).epsilon(1e-6));
  CHECK(parameter(local, "b")["slope"].get<double>() == doctest::Approx(4).epsilon(1e-6));
  CHECK(parameter(local, "b")["swing"].get<double>() == doctest::Approx(4).epsilon(1e-3));
  CHECK(parameter(local, "b")["at_low"].get<double>() == doctest::Approx(7).epsilon(1e-6));
  CHECK(contains(tool("rank local --at a=3").err, "outside its span"));
  CHECK(contains(tool("rank shares --at a=1").err, "only local and --under-scatter"));
  CHECK(contains(tool("rank effects --screen 0.1").err, "shares on a surrogate"));
  CHECK(contains(tool("rank derivatives --screen 0.1").err, "shares on a surrogate"));
  // Several responses stand side by side, in the order of what matters to which.
  const std::string text = tool("rank --response y,f").out;
  CHECK(contains(text, "share [%]  y"));
  CHECK(contains(text, "Can be left alone for every response: idle."));
  // Each has a picture, which names the parameters.
  for (const char* figure :
       {"importance-matrix", "swings", "trajectories", "interaction", "importance-curve"}) {
    CAPTURE(figure);
    const std::string one = figure == std::string("importance-curve") ? "f" : "y";
    CHECK(tool(std::string("draw ") + figure + " --response " + one + " -o f.svg").status == 0);
    const std::string svg = tool.read("f.svg");
    CHECK(contains(svg, "hull"));
    CHECK(contains(svg, "idle"));
  }
  CHECK(contains(tool("draw importance-curve --response y -o g.svg").err, "a number, not a curve"));
  CHECK(contains(tool("draw swings --at a=7 -o g.svg").err, "outside its span"));
  // The same bytes on any number of threads.
  for (const char* method : {"shares", "derivatives", "first-order", "dependence", "trajectories"}) {
    const std::string ask = std::string("rank ") + method + " --response y --json --threads ";
    CHECK(tool(ask + "1").out == tool(ask + "2").out);
  }
}

TEST_CASE("a study is made of another without what matters to nothing, with its runs") {
  const Tool tool;
  tool.write("big/study.toml", ranked_study);
  tool.write("big/notes.txt", "mine");
  tool("-s big plan latin-hypercube --runs 60");
  REQUIRE(tool("-s big run").status == 0);
  tool("-s big set-aside 7 --why odd");
  CHECK(contains(tool("init small --from big --screen 0.02").err, "no response has a surrogate"));
  tool("-s big fit --response y,f,twice");
  REQUIRE(tool("-s big fit polynomial --response y").status == 0);
  const json made = tool("init small --from big --screen 0.02 --json").json();
  CHECK(made["fixed"] == json::array({"idle"}));
  CHECK(made["runs"] == 60);
  const std::string file = tool.read("small/study.toml");
  CHECK(contains(file, "name = \"idle\"\nfixed = 15   # below 2 %"));
  CHECK(contains(file, "choices = [\"steel\", \"wood\"]"));
  CHECK(tool.read("small/notes.txt") == "mine");
  const json before = tool("-s big runs --json").json()["runs"],
             after = tool("-s small runs --json").json()["runs"];
  REQUIRE(after.size() == before.size());
  for (std::size_t i = 0; i < before.size(); ++i) {
    CHECK(after[i]["id"] == before[i]["id"]);
    CHECK(after[i]["responses"] == before[i]["responses"]);
    CHECK(after[i]["set_aside"] == before[i]["set_aside"]);
    CHECK(after[i]["point"]["a"] == before[i]["point"]["a"]);
    CHECK(after[i]["point"]["idle"] == 15);
  }
  const json fitted = tool("-s small fit polynomial --response y --json").json()["models"][0];
  CHECK(fitted["runs"] == 59);
  CHECK(fitted["quality"]["q2"].get<double>() > 0.999);
  // It goes on from there: the next runs leave the fixed one alone.
  REQUIRE(tool("-s small plan extend plan-1 --runs 5").status != 4);
  CHECK(tool("init small --from big --screen 0.02").status == 2);  // there is one already
  CHECK(contains(tool("init other --from big").err, "--screen 0.02"));
  CHECK(contains(tool("init other --from big --screen 0").err, "no parameter is certainly below"));
  tool.write("table.csv", "a,y\n1,2\n2,3\n");
  CHECK(contains(tool("init other --from table.csv --responses y --screen 0.02").err, "is a table"));
}

TEST_CASE("what fixes a parameter leaves the rest of the file as it was written") {
  const std::string text =
      "# mine\n[[parameter]]\nname = \"a\"\nspan = [0,\n  # both ends\n  2]  # wide\nunit = \"m\"\n"
      "\n[[parameter]]   # kept\nname = 'b'\nsizes = [\n  1, 2,\n]\n";
  const std::string made = renth::with_fixed(text, {{"a", "1.5"}}, "why");
  CHECK(made ==
        "# mine\n[[parameter]]\nname = \"a\"\nfixed = 1.5   # why\nunit = \"m\"\n"
        "\n[[parameter]]   # kept\nname = 'b'\nsizes = [\n  1, 2,\n]\n");
  CHECK_THROWS_WITH(renth::with_fixed("parameter = [{name = \"a\"}]", {{"a", "1"}}, ""),
                    doctest::Contains("not written as a [[parameter]]"));
}

TEST_CASE("under scatter the shares are those of the drift, not of the region") {
  const Tool tool;
  std::string study = ranked_study;
  // a drifts by 0.1, b by up to 0.2 round 0.5: variances 9 · 0.01 and 16 var(b²), of a uniform drift.
  study.replace(study.find("span = [0, 2]"), 13, "span = [0, 2]\nscatter = { normal = 0.1 }");
  study.replace(study.find("span = [-1, 1]"), 14, "span = [-1, 1]\nscatter = { uniform = 0.2 }");
  tool.write("study.toml", study);
  tool("plan latin-hypercube --runs 60");
  REQUIRE(tool("run").status == 0);
  REQUIRE(tool("fit polynomial --model quadratic --response y").status == 0);
  const json y = of(tool("rank --response y --under-scatter --at b=0.5 --json").json(), "y");
  const double h = 0.2, of_b = 16 * (4 * 0.25 * h * h / 3 + std::pow(h, 4) * 4 / 45), of_a = 9 * 0.01;
  const json scatter = y["under_scatter"];
  CHECK(scatter["at"]["b"] == 0.5);
  CHECK(scatter["sd"].get<double>() == doctest::Approx(std::sqrt(of_a + of_b)).epsilon(2e-3));
  CHECK(std::abs(parameter(scatter, "b")["share"].get<double>() - of_b / (of_a + of_b)) < 2e-3);
  CHECK(parameter(scatter, "hull")["share"] == 0);
  CHECK(parameter(y, "a")["share"].get<double>() > 0.6);  // over the region it is the other way round
  CHECK(contains(tool("rank --response y --under-scatter --at b=0.5").out, "In production at a=1, b=0.5"));
  CHECK(contains(tool("rank effects --under-scatter").err, "shares, and nothing else"));
  tool.write("none/study.toml", ranked_study);
  CHECK(contains(tool("-s none rank --under-scatter").err, "no parameter has scatter"));
}

TEST_CASE(
    "a surrogate of other parameters is none: the runs are ranked, and all of one's surrogates are left "
    "alone") {
  const Tool tool;
  tool.write("study.toml", ranked_study);
  tool("plan latin-hypercube --runs 40");
  REQUIRE(tool("run").status == 0);
  REQUIRE(tool("fit polynomial --model quadratic --response y").status == 0);
  CHECK(of(tool("rank --response y --json").json(), "y")["basis"] == "surrogate");
  std::string study = ranked_study;
  study.replace(study.find("[[axis]]"), 8,
                "[[parameter]]\nname = \"new\"\nspan = [0, 1]\nbefore = 0.5\n[[axis]]");
  tool.write("study.toml", study);
  const json y = of(tool("rank --response y --json").json(), "y");
  CHECK(y["basis"] == "runs");
  CHECK(parameter(y, "new")["share"].is_null());  // it never changed in a run
  CHECK(tool("rank shares --response y").status == 2);
}
