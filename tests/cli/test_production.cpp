#include <doctest/doctest.h>

#include <cli/solver_study.hpp>
#include <cmath>

using namespace renth::test;
using nlohmann::json;

namespace {

const char* const production = R"toml(
[study]
name = "production"
[[parameter]]
name = "a"
span = [0, 10]
scatter = { normal = 0.5 }
[[parameter]]
name = "b"
unit = "mm"
span = [0, 10]
step = 0.5
scatter = { uniform = 1.0, tighten_cost = 3.0 }
[[parameter]]
name = "c"
choices = ["red", "green"]
[[response]]
name = "y"
unit = "kW"
goal = "minimise"
accept = { max = 11 }
[[response]]
name = "z"
accept = { min = 2 }
[solver]
kind = "formula"
[solver.formula]
y = "a + b + (c == 'green' ? 1 : 0)"
z = "2 * a - b"
)toml";

/// With surrogates that are exact.
void in_production(const Tool& tool, const std::string& text = production) {
  tool.write("study.toml", text);
  REQUIRE(tool("plan latin-hypercube --runs 40").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit polynomial --model products --json").status <= 1);
}

std::string with(const std::string& text, const std::string& from, const std::string& to) {
  const auto at = text.find(from);
  REQUIRE(at != text.npos);
  return std::string(text).replace(at, from.size(), to);
}

/// P(a + b <= 11) and P(2a − b >= 2) together, at the middle, by the midpoint rule over b.
double exact(double sd, double half, double most = 11) {
  constexpr int n = 20'000;
  const auto cdf = [](double x) { return 0.5 * std::erfc(-x / std::sqrt(2.0)); };
  double sum = 0;
  for (int i = 0; i < n; ++i) {
    const double b = 5 + half * (2 * (i + 0.5) / n - 1);
    sum += std::max(0.0, cdf((most - b - 5) / sd) - cdf(((2 + b) / 2 - 5) / sd));
  }
  return sum / n;
}

}  // namespace

TEST_CASE("tolerance: the yield, who costs it, and what would be if") {
  const Tool tool;
  in_production(tool);
  const json t = tool("tolerance --at a=5 --json").json();
  const double truth = exact(0.5, 1);
  CHECK(truth >= t["yield_interval"][0].get<double>());
  CHECK(truth <= t["yield_interval"][1].get<double>());
  CHECK(t["basis"] == "surrogate");
  CHECK(t["method"] == "sobol");
  CHECK(t["surrogate_interval"][0].get<double>() <= t["yield"].get<double>());
  CHECK(t["responses"][0]["response"] == "y");
  CHECK(t["responses"][0]["mean"].get<double>() == doctest::Approx(10).epsilon(1e-3));
  CHECK(t["responses"][0]["histogram"].size() == 30);
  REQUIRE(t["parameters"].size() == 2);
  for (const json& p : t["parameters"]) {
    const bool a = p["parameter"] == "a";
    CHECK(p["cost"].get<double>() == doctest::Approx(exact(a ? 1e-9 : 0.5, a ? 1 : 0) - truth).epsilon(0.02));
    CHECK(p["slack"].get<double>() > 1);
    CHECK(p["bins"].size() == 12);
  }
  CHECK(t["together"][0]["limits"] == json{"y <= 11"});
  // Words before figures; another scatter and another limit beside the file's.
  const Answer typed = tool("tolerance --at a=5 --set a=normal:0.25 --accept \"y<=11.5\" --json");
  CHECK(typed.json()["yield"].get<double>() == doctest::Approx(exact(0.25, 1, 11.5)).epsilon(0.003));
  CHECK(typed.json()["yield_as_in_file"].get<double>() == doctest::Approx(truth).epsilon(0.005));
  CHECK(contains(tool("tolerance --at a=5").out, "of what is made at the setting given"));
  CHECK(tool("tolerance --at a=5 --json").out == tool("tolerance --at a=5 --threads 1 --json").out);
  for (const char* method : {"hypercube", "hammersley", "random"})
    CHECK(tool(std::string("tolerance --at a=5 --samples 8192 --json --method ") + method)
              .json()["yield"]
              .get<double>() == doctest::Approx(truth).epsilon(0.02));
}

TEST_CASE("tolerance: which tolerances to tighten, a better centre, the worst case") {
  const Tool tool;
  in_production(tool);
  const json t = tool("tolerance --at a=5 --reach 0.97 --centre --json").json();
  CHECK(t["reach"]["reached"] == true);
  CHECK(t["reach"]["yield"].get<double>() >= 0.97);
  double a = 1, b = 1;
  for (const json& one : t["reach"]["tolerances"]) (one["parameter"] == "a" ? a : b) = one["factor"];
  CHECK(exact(0.5 * a, b) == doctest::Approx(0.97).epsilon(0.005));
  CHECK(a < b);  // b is three times as dear
  CHECK(t["better"]["yield"].get<double>() > 0.995);
  CHECK(std::fmod(t["better"]["point"]["b"].get<double>(), 0.5) == 0);
  CHECK(t["better"]["point"]["c"] == "red");
  const json worst = tool("tolerance --at a=5 --method corners --json").json();
  CHECK(worst["yield"].is_null());
  CHECK(worst["worst"][0]["margin"].get<double>() == doctest::Approx(-1.5));
  CHECK(worst["worst"][0]["point"]["a"].get<double>() == doctest::Approx(6.5));
}

TEST_CASE("tolerance of real runs drawn from the scatter, with the surrogates beside") {
  const Tool tool;
  in_production(tool);
  REQUIRE(tool("plan scatter --at a=5 --runs 200 --batch made --use check").status == 0);
  REQUIRE(tool("run -q").status == 0);
  const json t = tool("tolerance --batch made --json").json();
  CHECK(t["basis"] == "runs");
  CHECK(t["samples"] == 200);
  CHECK(t["yield_interval"][0].get<double>() <= exact(0.5, 1));
  CHECK(t["yield_interval"][1].get<double>() >= exact(0.5, 1));
  CHECK(t["surrogate_says"].get<double>() == doctest::Approx(t["yield"].get<double>()).epsilon(0.02));
  CHECK(t["at"]["a"].get<double>() == 5);
  CHECK(t["surrogate_interval"].is_null());
  CHECK(contains(tool("tolerance --batch nobody").err, "nobody"));
  CHECK(contains(tool("tolerance --batch made --centre").err, "real runs were made at one setting"));
}

TEST_CASE("window: between which bounds settings may move; kept, and a study made of it") {
  const Tool tool;
  in_production(tool);
  const json w = tool("window --keep-as operating --sample s.csv --json").json();
  REQUIRE(!w["window"].is_null());
  CHECK(w["window"]["within"].get<double>() >= 0.99);
  CHECK(w["window"]["span"].contains("a"));
  CHECK(!w["window"]["span"].contains("c"));
  CHECK(w["held"]["c"] == "red");
  CHECK(w["steps"][0]["volume"] == 1);
  CHECK(w["steps"].back()["within"] == 1);
  CHECK(std::fmod(w["window"]["span"]["b"][0].get<double>(), 0.5) == 0);
  CHECK(contains(tool.read("s.csv"), "a,b,c,in_specification"));
  const json hand = tool("window --span a=3..6,b=2..4 --json").json()["by_hand"];
  CHECK(hand["span"]["b"] == json{2.0, 4.0});
  CHECK(hand["volume"].get<double>() == doctest::Approx(0.3 * 5 / 21));
  const Answer made = tool("init narrow-study --from . --window operating");
  CAPTURE(made.err);
  REQUIRE(made.status == 0);
  CHECK(contains(made.out, "40 runs came along"));
  const std::string text = tool.shell("cat narrow-study/study.toml").out;
  CHECK(contains(text, "# window operating"));
  CHECK(tool("-s narrow-study check").status == 0);
  CHECK(tool("-s narrow-study fit polynomial --model products --json").status <= 1);
  tool.shell("rm -r narrow-study");
  CHECK(contains(tool("init other --from . --window nothing").err, "unknown window nothing"));
  CHECK(contains(tool("window --within 0.99 --accept \"y<=-5\"").out, "No window"));
  CHECK(tool("window --accept \"y<=-5\" --json").status == 1);
}

TEST_CASE("seek tells the yield of what it proposes; --robust puts it first") {
  const Tool tool;
  in_production(tool);
  const json plain = tool("seek --maximise y --json").json(),
             robust = tool("seek --maximise y --robust --json").json();
  const double before = plain["proposals"][0]["yield"], after = robust["proposals"][0]["yield"];
  CHECK(before < 0.7);  // on the limit of y
  CHECK(after > 0.97);
  CHECK(has_note(robust, "robust"));
  CHECK(robust["proposals"][0]["responses"]["y"]["mean"].get<double>() <
        plain["proposals"][0]["responses"]["y"]["mean"].get<double>());
  // Without limits: the mean made worse by the spread.
  const Tool free;
  std::string text = with(with(production, "accept = { max = 11 }\n", ""), "accept = { min = 2 }\n", "");
  in_production(free, text);
  const json other = free("seek --maximise z --robust --json").json();
  CHECK(other["proposals"][0]["yield"].is_null());
  CHECK(has_note(other, "robust"));
  CHECK(has_note(other, "no_yield"));
}

TEST_CASE("what cannot be asked of production is refused with what to do") {
  const Tool tool;
  in_production(tool);
  const auto says = [&](const std::string& arguments, const std::string& words, int status = 2) {
    CAPTURE(arguments);
    const Answer a = tool(arguments);
    CAPTURE(a.err);
    CHECK(a.status == status);
    CHECK(contains(a.err, words));
  };
  says("tolerance --set a=gauss:1", "is no scatter");
  says("tolerance --set a=normal:-1", "above 0");
  says("tolerance --set a", "sets nothing");
  says("tolerance --set q=normal:1", "q");
  says("tolerance --set c=normal:1", "only have shares");
  says("tolerance --accept \"y<11\"", "no limit of a response");
  says("tolerance --accept \"q<=11\"", "q");
  says("tolerance --set a=none --set b=none", "no parameter has scatter");
  says("window --span a=6..3", "no part of the span");
  says("window --span b=0.1..0.2", "no value between");
  says("window --span c=0..1", "choice");
  says("window --sure 3", "no probability");
  says("window --keep-as 'a b'", "no name");
  CHECK(tool("tolerance --at a=10,b=10 --json").status == 1);  // nothing in specification
  CHECK(has_note(tool("tolerance --at a=10,b=10 --json").json(), "nothing_in_specification"));
  CHECK(has_note(tool("tolerance --set a=normal:8 --json").json(), "wide_scatter"));
  tool.write("study.toml",
             with(with(production, "accept = { max = 11 }\n", ""), "accept = { min = 2 }\n", ""));
  says("tolerance", "accept limits");
  says("window", "accept limits");
}

TEST_CASE("scatter in the study file: measured, shares, correlated; and what is wrong with it") {
  const Tool tool;
  const std::string measured =
      with(production, "scatter = { normal = 0.5 }", "scatter = { measured = \"drift.csv\" }");
  tool.write("drift.csv", "deviation\n-0.5\n0\n0.5\n");
  in_production(
      tool, with(with(measured, "choices = [\"red\", \"green\"]",
                      "choices = [\"red\", \"green\"]\nscatter = { shares = { red = 0.8, green = 0.2 } }"),
                 "[solver]\n", "[[correlation]]\nof = [\"a\", \"b\"]\nrank = -0.9\n[solver]\n"));
  const json t = tool("tolerance --at a=5 --json").json();
  CHECK(t["responses"][0]["mean"].get<double>() == doctest::Approx(10.2).epsilon(0.003));
  // b falls where a rises: the sum moves less than it would otherwise.
  CHECK(t["responses"][0]["sd"].get<double>() < 0.7);
  const auto refused = [&](const std::string& text, const std::string& words) {
    tool.write("study.toml", text);
    const Answer a = tool("check");
    CAPTURE(a.err);
    CHECK(a.status == 2);
    CHECK(contains(a.err, words));
  };
  refused(with(measured, "drift.csv", "none.csv"), "none.csv");
  tool.write("drift.csv", "deviation\n0.1\nabc\n");
  refused(measured, "is no number");
  refused(with(production, "{ normal = 0.5 }", "{ normal = \"5%\" }"), "span contains 0");
  refused(with(production, "{ normal = 0.5 }", "{ normal = 0.5, uniform = 1 }"),
          "must name one distribution");
  refused(with(production, "[solver]\n", "[[correlation]]\nof = [\"a\", \"c\"]\nrank = 0.5\n[solver]\n"),
          "c has no scatter");
  refused(with(production, "[solver]\n", "[[correlation]]\nof = [\"a\", \"b\"]\nrank = 2\n[solver]\n"),
          "no rank correlation");
  refused(with(production, "choices = [\"red\", \"green\"]",
               "choices = [\"red\", \"green\"]\nscatter = { shares = { red = 0.8, blue = 0.2 } }"),
          "blue");
}

TEST_CASE("a curve's limits and what a noisy study scatters are in the yield") {
  const Tool tool;
  std::string text = with(production, "[[response]]\nname = \"y\"",
                          "[[axis]]\nname = \"t\"\npoints = [0, 1]\n[[response]]\nname = \"f\"\nalong = "
                          "\"t\"\naccept = { max = [6, 100] }\n[[response]]\nname = \"y\"");
  text = with(text, "accept = { max = 11 }\n", "");
  text = with(text, "accept = { min = 2 }\n", "") + "f = \"a * (1 + t)\"\n";
  in_production(tool, text);
  const json t = tool("tolerance --at a=5 --json").json();
  CHECK(t["yield"].get<double>() == doctest::Approx(0.97725).epsilon(0.003));  // P(a <= 6)
  CHECK(t["limits"][0]["limit"] == "f <= its limits along t");
}

TEST_CASE("the figures of production are drawn") {
  const Tool tool;
  in_production(tool);
  for (const char* figure : {"yield", "scatter", "pass-fail", "window"}) {
    CAPTURE(figure);
    const Answer a = tool(std::string("draw ") + figure + " -o f.svg");
    CAPTURE(a.err);
    CHECK(a.status == 0);
    CHECK(contains(tool.read("f.svg"), "</svg>"));
  }
  CHECK(tool("draw yield --at a=5 --set a=normal:0.1 -o f.png").status == 0);
}

TEST_CASE("a study of the region as good as the best keeps its runs; levels and sizes are cut down") {
  const Tool tool;
  const std::string text = with(production, "[[parameter]]\nname = \"c\"",
                                "[[parameter]]\nname = \"n\"\nlevels = [\n  0, 1, 2, 4,  # several "
                                "lines\n]\nnominal = 4\n[[parameter]]\nname = \"c\"");
  in_production(tool, with(text, "y = \"a + b", "y = \"4 * n + a + b"));
  REQUIRE(tool("seek --minimise y --loss 3 --json").status == 0);
  const Answer made = tool("init near --from . --near-best");
  CAPTURE(made.err);
  REQUIRE(made.status == 0);
  CHECK(contains(made.out, "40 runs came along"));
  const std::string written = tool.shell("cat near/study.toml").out;
  CAPTURE(written);
  CHECK(contains(written, "as good as the best"));
  CHECK_FALSE(contains(written, "several lines"));
  CHECK(contains(written, "n"));
  CHECK(tool("-s near check").status == 0);
  CHECK(tool("-s near runs --json").json()["runs"].size() == 40);
  tool.shell("rm -r near");
  // Something has changed since: the region is of another state.
  REQUIRE(tool("plan random --runs 2").status == 0);
  REQUIRE(tool("run -q").status == 0);
  CHECK(contains(tool("init near --from . --near-best").err, "renth seek"));
}

TEST_CASE("the chance of failing is told with each prediction once runs have failed") {
  const Tool tool;
  tool.write("study.toml", production);
  REQUIRE(tool("plan latin-hypercube --runs 40").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit polynomial --model products --json").status <= 1);
  CHECK_FALSE(tool("predict --at a=5 --json").json()["predictions"][0].contains("failure_risk"));
  tool.write("study.toml", with(production, "y = \"a + b", "y = \"(a > 8 ? sqrt(-1) : a) + b"));
  REQUIRE(tool("plan latin-hypercube --runs 40 --batch more").status == 0);
  tool("run -q");
  REQUIRE(tool("fit polynomial --model products --mixed --json").status <= 1);
  const double far = tool("predict --at a=2 --json").json()["predictions"][0]["failure_risk"];
  const double near = tool("predict --at a=9.8 --json").json()["predictions"][0]["failure_risk"];
  CHECK(near > far + 0.1);
  CHECK(contains(tool("predict --at a=9.8").out, "the solver fails with a chance of"));
}

TEST_CASE("a window that is kept survives, is replaced by name, and a damaged one is refused") {
  const Tool tool;
  in_production(tool);
  REQUIRE(tool("window --span a=2..6 --keep-as mine --json").status == 0);
  REQUIRE(tool("window --span a=3..6 --keep-as mine --json").status == 0);
  REQUIRE(tool("init of-mine --from . --window mine").status == 0);
  CHECK(contains(tool.shell("cat of-mine/study.toml").out, "span = [3, 6]"));
  tool.shell("rm -r of-mine");
  REQUIRE(
      tool.shell("sqlite3 study.db \"UPDATE operating_window SET document = replace(document, '3', '2')\"")
          .status == 0);
  CHECK(tool("init of-mine --from . --window mine").status == 4);
}
