#include <doctest/doctest.h>

#include <cli/tool.hpp>
#include <cmath>
#include <set>

using namespace renth::test;

namespace {

void make_formula(const Tool& tool) {
  tool.write("study.toml", formula_study);
}

/// Planned, run and fitted.
void make_fitted(const Tool& tool) {
  make_formula(tool);
  REQUIRE(tool("plan --runs 40").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit kriging").status == 0);
}

}  // namespace

TEST_CASE("the loop on a formula finds the optimum that the formula has") {
  const Tool tool;
  make_fitted(tool);
  const Answer sought = tool("seek --json");
  REQUIRE(sought.status == 0);
  const auto document = sought.json();
  CHECK(document["feasible"] == true);
  const auto best = document["proposals"][0];
  CHECK(best["point"]["c"] == "green");
  const double b = best["point"]["b"];
  CHECK(std::abs(b * 10 - std::round(b * 10)) < 1e-12);  // steps obeyed exactly
  CHECK(best["responses"]["z"]["mean"].get<double>() <= 3 + 1e-9);
  const Answer confirmed = tool("confirm --json");
  CHECK(confirmed.status <= 1);
  const auto y = confirmed.json()["proposals"][0]["responses"]["y"];
  CHECK(y["computed"].get<double>() == doctest::Approx(y["predicted"].get<double>()).epsilon(0.02));
  CHECK(confirmed.json()["proposals"][0]["responses"]["ratio"]["computed"].is_number());
  // Asked again, the solver is not.
  CHECK(tool("confirm --json").json()["proposals"][0]["run"] == confirmed.json()["proposals"][0]["run"]);
  CHECK(tool("runs --json --where \"use == 'confirm'\"").json()["runs"].size() == 1);
}

TEST_CASE("every document has the keys of the interface") {
  const Tool tool;
  make_formula(tool);
  const auto keys = [](const nlohmann::json& document, std::vector<std::string> wanted) {
    for (const std::string& k : wanted) CHECK_MESSAGE(document.contains(k), k);
  };
  const auto plan = tool("plan --runs 30 --json").json();
  keys(plan, {"batch", "use", "method", "seed", "runs", "notes"});
  keys(plan["runs"][0], {"id", "origin", "block", "point"});
  CHECK(tool("plan --use check --runs 10 --json").json()["batch"] == "check-1");
  CHECK(tool("run --json").json()["done"] == 40);
  const auto runs = tool("runs --json").json();
  keys(runs["runs"][0], {"id", "batch", "use", "origin", "block", "status", "set_aside", "point", "responses",
                         "message", "seconds"});
  const auto fit = tool("fit polynomial --json").json();
  keys(fit["models"][0], {"response", "kind", "runs", "why", "verdict", "quality", "tried", "terms",
                          "natural_terms", "equation"});
  keys(fit["models"][0]["quality"],
       {"r2", "r2_adjusted", "r2_predicted", "press", "sigma", "rmse", "max_abs_error", "mean_abs_percent",
        "q2", "rmse_cv", "folds", "folds_refitted", "along", "check"});
  keys(fit["models"][0]["quality"]["check"],
       {"runs", "r2", "rmse", "max_abs_error", "mean_abs_percent", "inside"});
  keys(fit["models"][0]["terms"][0],
       {"term", "coefficient", "std_error", "t", "p", "low", "high", "vif", "standardised"});
  keys(tool("trust --json").json()["responses"][0],
       {"response", "kind", "quality", "verdict", "reasons", "next", "residuals"});
  const auto rank = tool("rank --json").json();
  keys(rank["responses"][0], {"response", "method", "basis", "parameters", "interactions", "unexplained"});
  keys(rank["responses"][0]["parameters"][0],
       {"parameter", "share", "low", "high", "first", "total", "direction"});
  const auto p = tool("predict --at a=2,c=green --json").json()["predictions"][0];
  keys(p["responses"]["y"], {"mean", "sd", "confidence", "prediction", "calibrated", "inside"});
  CHECK(p["point"]["b"] == 0);  // the rest is nominal
  CHECK(p["responses"]["y"]["mean"].get<double>() ==
        doctest::Approx(10 - 1 - 4 * 0.32 * 0.32 + 1).epsilon(1e-6));
  CHECK(p["responses"]["ratio"]["mean"].get<double>() ==
        doctest::Approx((10 - 4 * 0.32 * 0.32) / 12).epsilon(1e-6));
  keys(tool("extremes --json").json()["responses"][0], {"response", "min", "max"});
  keys(tool("seek --json").json(), {"feasible", "proposals", "front", "near_best", "notes"});
  // A quadratic fits this formula exactly: its real coefficients are the formula's.
  for (const auto& t : fit["models"][0]["natural_terms"])
    if (t["term"] == "a^2") CHECK(t["coefficient"].get<double>() == doctest::Approx(-1).epsilon(1e-9));
}

TEST_CASE("the same seed gives the same bytes on one thread and on two, another seed others") {
  const auto all = [](const std::string& options) {
    const Tool tool;
    tool.write("study.toml", formula_study);
    std::string text;
    for (const char* verb : {"plan --runs 30", "run", "fit --candidates 4", "trust", "rank",
                             "predict --at a=1", "extremes", "seek", "confirm"})
      text += tool(std::string(verb) + " --json " + options).out;
    // What took how long is no result.
    for (std::size_t at = 0; (at = text.find("\"seconds\"", at)) != std::string::npos;)
      text.erase(at, text.find('\n', at) - at);
    return text;
  };
  const std::string one = all("--threads 1");
  CHECK(one.size() > 10'000);
  CHECK(one == all("--threads 2"));
  CHECK(one != all("--threads 1 --seed 6"));
}

TEST_CASE("help is there for all verbs and for each") {
  const Tool tool;
  CHECK(contains(tool("help").out, "set-aside"));
  CHECK(tool("help").out == tool("--help").out);
  CHECK(contains(tool("help fit").out, "--model"));
  CHECK(tool("help fit").out == tool("fit --help").out);
}

TEST_CASE("wrong requests end with 2, a message that helps, and nothing on standard output") {
  const Tool tool;
  CHECK(tool("check").err.find("there is no study here") != std::string::npos);
  make_formula(tool);
  for (const auto& [command, says] : std::map<std::string, std::string>{
           {"frobnicate", "unknown verb frobnicate"},
           {"-s . --json=false fitt kriging", "unknown verb fitt"},
           {"fitt kriging", "did you mean fit?"},
           {"help fitt", "did you mean fit?"},
           {"-s", "--study: 1 required"},  // an option without its value is the last word
           {"draw slicse -o x.svg", "unknown figure slicse: draw: did you mean slices?"},
           {"plan lattice", "use one of full-factorial"},
           {"plan --runs 0", "--runs"},
           {"plan --use never", "use fit, check or confirm"},
           {"discard fit-9", "unknown batch"},
           {"run --batch nope", "unknown batch nope"},
           {"fit", "no response could be fitted"},
           {"fit spline", "use one of polynomial, kriging, chaos"},
           {"fit --model \"a + speed\"", "unknown parameter speed"},
           {"fit --response q", "use one of y, z"},
           {"trust", "renth fit --response y"},
           {"rank", "renth fit"},
           {"predict --at a=1,a=2", "set twice"},
           {"seek", "renth fit"},
           {"confirm", "nothing was sought"},
           {"runs --where \"a = 1\"", "single ="},
           {"runs --sort speed", "unknown name speed"},
           {"set-aside 7 --why x", "there is no run 7"},
           {"import nowhere.csv", "cannot read"},
           {"draw pie -o x.svg", "use one of"},
           {"draw slices -o x.gif", "renth fit"},
           {"init . --demo buoy", "there is a study already"}}) {
    CAPTURE(command);
    const Answer a = tool(command);
    CHECK(a.status == 2);
    CHECK(a.out.empty());
    CHECK(a.err.rfind("renth: ", 0) == 0);
    CHECK_MESSAGE(a.err.find(says) != std::string::npos, a.err);
  }
  tool.write("study.toml", "[study]\nname = \"x\"\nsede = 1\n[[parameter]]\nname = \"a\"\nspan = [2, 1]\n");
  const Answer bad = tool("check --json");
  CHECK(bad.status == 2);
  CHECK(bad.err.find("study.toml:3:8 study.sede: did you mean seed?") != std::string::npos);
  CHECK(bad.err.find("study.toml:6:8 parameter.span") != std::string::npos);
}

TEST_CASE("a table becomes a study, goes out and comes back bit for bit") {
  const Tool tool;
  tool.write(
      "data.csv",
      "Radius "
      "(m);hull;plates;speed;power\n0,1;steel;1;7;3,25\n0,30000000000000004;wood;2;7;4\n0,5;steel;3;7;5,5\n0,"
      "7;wood;1;7;6\n0,9;steel;2;7;7\n0,2;steel;3;7;\n0,4;wood;1;7;2\n0,6;wood;2;7;1\n0,8;steel;3;7;3\n");
  const Answer made = tool("init s --from data.csv --responses power");
  REQUIRE_MESSAGE(made.status == 0, made.err);
  CHECK(made.out.find("hull: a parameter, choices") != std::string::npos);
  CHECK(made.out.find("plates: a parameter, levels = [1, 2, 3]") != std::string::npos);
  CHECK(made.out.find("speed: a parameter, fixed = 7") != std::string::npos);
  const auto before = tool("-s s runs --json").json()["runs"];
  CHECK(before.size() == 9);
  CHECK(before[1]["point"]["Radius"] == 0.30000000000000004);
  CHECK(before[5]["status"] == "planned");  // its response was blank
  CHECK(tool("-s s runs --export out.csv").status == 0);
  CHECK(tool("-s s import out.csv --json").json()["unchanged"] == 9);
  tool.shell("mkdir t && cp s/study.toml t/ && sed 's/^[0-9]*,/,/' out.csv > blank.csv");
  CHECK(tool("-s t import blank.csv --json").json()["added"] == 8);
  const auto after = tool("-s t runs --json").json()["runs"];
  for (std::size_t i = 0; i < 9; ++i) {
    CHECK(after[i]["point"] == before[i]["point"]);
    CHECK(after[i]["responses"] == before[i]["responses"]);
  }
}

TEST_CASE(
    "a manual study is exported, filled in and imported; bad rows are refused by line, all or nothing") {
  const Tool tool;
  std::string study = formula_study;
  study = study.substr(0, study.find("[solver]")) + "[solver]\nkind = \"manual\"\n";
  tool.write("study.toml", study);
  tool("plan sobol --runs 8");
  CHECK(tool("run").err.find("renth runs --export") != std::string::npos);
  tool("runs --export plan.csv");
  tool.shell("awk 'BEGIN{FS=OFS=\",\"} NR>1{$10=NR*1.5;$11=NR} {print}' plan.csv > filled.csv");
  const std::string filled = tool.read("filled.csv");
  tool.shell("sed '3s/[0-9.]*,$/oops,/; 5s/red\\|green/blue/; 5s/^4/99/' filled.csv > broken.csv");
  const Answer refused = tool("import broken.csv");
  CHECK(refused.status == 2);
  CHECK(refused.err.find("line 5") != std::string::npos);
  CHECK(tool("runs --json --where \"status == 'done'\"").json()["runs"].empty());
  const Answer taken = tool("import filled.csv --json");
  REQUIRE_MESSAGE(taken.status == 0, taken.err);
  CHECK(taken.json()["filled"] == 8);
  CHECK(tool("fit polynomial --model linear").status <= 1);
}

TEST_CASE("runs are filtered, sorted, set aside with a reason and taken back, and surrogates know") {
  const Tool tool;
  make_fitted(tool);
  const auto some = tool("runs --json --where \"y > 5 && c == 'green'\" --sort -y").json()["runs"];
  REQUIRE(some.size() > 1);
  for (std::size_t i = 0; i < some.size(); ++i) {
    CHECK(some[i]["responses"]["y"].get<double>() > 5);
    if (i > 0) CHECK(some[i]["responses"]["y"].get<double>() <= some[i - 1]["responses"]["y"].get<double>());
  }
  CHECK(tool("set-aside 3 4 --why 'sensor broke'").status == 0);
  CHECK(tool("runs --json").json()["runs"][2]["set_aside"] == "sensor broke");
  CHECK(tool("predict").out.find("runs were added or changed since") != std::string::npos);
  CHECK(tool("fit kriging --json").json()["models"][0]["runs"] == 38);
  tool("set-aside 5 --why odd --response z");
  CHECK(tool("fit kriging --json").json()["models"][1]["runs"] == 37);
  CHECK(tool("restore 3 4").status == 0);
  CHECK(tool("fit kriging --response y --json").json()["models"][0]["runs"] == 40);
}

TEST_CASE("changing the study is normal, and said") {
  const Tool tool;
  make_fitted(tool);
  std::string text = formula_study;
  text.replace(text.find("span = [0, 4]"), 13, "span = [1, 4]");
  text.replace(text.find("[[response]]"), 0, "[[parameter]]\nname = \"new\"\nspan = [0, 1]\nbefore = 0.5\n");
  tool.write("study.toml", text);
  const Answer check = tool("check --json");
  std::set<std::string> codes;
  const auto notes = check.json()["notes"];
  for (const auto& n : notes) codes.insert(n["code"]);
  CHECK(codes.count("outside_span"));
  CHECK(codes.count("added_parameter"));
  CHECK(codes.count("out_of_date"));
  CHECK(tool("predict").status == 2);  // a surrogate of other parameters cannot answer
  CHECK(tool("fit kriging").status == 0);
  text.replace(text.find("before = 0.5\n"), 13, "");
  tool.write("study.toml", text);
  CHECK(tool("fit").err.find("before = ") != std::string::npos);
  CHECK(tool("runs --json").json()["runs"].size() == 40);  // nothing is lost
}

TEST_CASE("figures are drawn whatever people call their things") {
  const Tool tool;
  std::string text = formula_study;
  text.replace(text.find("unit = \"kW\""), 11,
               "unit = \"k_W^{2}\"\nlabel = \"it's @ {weird} \\\\ \\\"name\\\" $x `id`\"");
  tool.write("study.toml", text);
  tool("plan --runs 30");
  tool("run -q");
  tool("fit kriging");
  for (const char* figure : {"predicted-observed", "slices", "importance", "contour --x a --y b"})
    for (const char* ending : {"svg", "png"}) {
      const std::string file = std::string(figure).substr(0, 5) + "." + ending;
      const Answer a = tool("draw " + std::string(figure) + " -o " + file);
      CHECK_MESSAGE(a.status == 0, a.err);
      const std::string bytes = tool.read(file);
      CHECK(bytes.size() > 5'000);
      CHECK(bytes.substr(0, 5) == (std::string(ending) == "svg" ? "<?xml" : "\x89PNG\r"));
    }
  CHECK(tool.read("slice.svg").find("{weird}") != std::string::npos);
  CHECK(tool("draw contour --x a --y c -o x.svg").err.find("nothing between its values") !=
        std::string::npos);
  CHECK(tool("draw slices -o nowhere/x.svg").status == 4);
}

TEST_CASE("nothing feasible is exit 1, and the nearest settings are shown") {
  const Tool tool;
  make_fitted(tool);
  const Answer a = tool("seek --keep \"y >= 1000\" --json");
  CHECK(a.status == 1);
  CHECK(a.json()["feasible"] == false);
  CHECK(a.json()["proposals"].size() >= 1);
  const Answer held = tool("seek --maximise y --hold c=red,b=-0.5 --json");
  CHECK(held.json()["proposals"][0]["point"]["c"] == "red");
  CHECK(held.json()["proposals"][0]["point"]["b"] == -0.5);
  CHECK(tool("seek --hold b=0.55").err.find("nearest value that can be set is") != std::string::npos);
}
