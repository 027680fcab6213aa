#include <doctest/doctest.h>

#include <cli/tool.hpp>

using namespace renth::test;
using nlohmann::json;

namespace {
const char* const bench_study = R"toml([study]
name = "bench"
seed = 3
[[parameter]]
name = "a"
unit = "m"
span = [0, 10]
[[parameter]]
name = "b"
span = [-1, 1]
[[parameter]]
name = "c"
span = [20, 40]
scatter = { normal = 0.5 }
[[response]]
name = "y"
[solver]
kind = "manual"
repeatable = false
)toml";
}  // namespace

TEST_CASE("a central composite plan in two stages is one design, and the second stage knows the first") {
  const Tool tool;
  tool.write("study.toml", bench_study);
  const Answer first = tool("plan central-composite --stage corners --json");
  REQUIRE(first.status == 0);
  CHECK(tool("plan central-composite --stage axial").status == 2);
  CHECK(contains(tool("plan central-composite --stage axial --of fit-9").err, "unknown batch fit-9"));
  const Answer second = tool("plan central-composite --stage axial --of fit-1 --json");
  REQUIRE(second.status == 0);
  CHECK(contains(tool("plan central-composite --stage axial --of fit-1").err, "planned already, as fit-2"));
  std::map<std::string, int> origins;
  for (const Answer* a : {&first, &second}) {
    const json document = a->json();
    for (const json& run : document["runs"]) ++origins[run["origin"].get<std::string>()];
  }
  CHECK(origins["corner"] == 8);
  CHECK(origins["axial"] == 6);
  CHECK(second.json()["runs"][0]["block"] != first.json()["runs"][0]["block"]);
  const json both = tool("assess --batch fit-1+fit-2 --model quadratic --json").json();
  CHECK(both["block_correlation"].get<double>() < 1e-9);
  CHECK(both["terms"].size() == 10);
}

TEST_CASE("assess gives every figure of the contract, for stored batches and dry runs side by side") {
  const Tool tool;
  tool.write("study.toml", bench_study);
  CHECK(contains(tool("assess").err, "no runs to judge"));
  REQUIRE(tool("plan box-behnken --centre 3").status == 0);
  REQUIRE(
      tool.shell(std::string(RENTH_BINARY) + " plan central-composite --dry-run --json > ccd.json").status ==
      0);
  CHECK(tool("runs --json").json()["runs"].size() == 15);  // the dry run stored nothing
  const Answer answer = tool("assess --batch fit-1 --against ccd.json --model quadratic --json");
  REQUIRE(answer.status == 0);
  const json a = answer.json();
  for (const char* key :
       {"batch", "runs", "model", "terms", "log_det", "d_efficiency", "a_efficiency", "g_efficiency",
        "i_value", "max_vif", "condition", "leverage", "prediction_variance", "space", "aliases", "notes"})
    CHECK(a.contains(key));
  for (const char* key : {"term", "vif", "std_error_per_sigma", "power"}) CHECK(a["terms"][1].contains(key));
  CHECK(a["terms"][0]["vif"].is_null());
  CHECK(a["terms"][1]["power"]["2"].get<double>() > a["terms"][1]["power"]["1"].get<double>());
  for (const char* key : {"min_distance", "mean_distance", "discrepancy_l2_centred", "max_abs_correlation"})
    CHECK(a["space"].contains(key));
  CHECK(a["prediction_variance"]["fraction"].back()["share"] == 1.0);
  CHECK(a["prediction_variance"]["mean"] == a["i_value"]);
  CHECK(a["leverage"].size() == 15);
  REQUIRE(a["against"].size() == 1);
  CHECK(a["against"][0]["batch"] == "ccd");
  CHECK(a["against"][0]["terms"].size() == 10);
  const Answer table = tool("assess --batch fit-1 --against ccd.json");
  CHECK(contains(table.out, "fit-1: 15 runs for 10 terms"));
  CHECK(contains(table.out, "ccd"));
  const json confounded = tool("assess --batch fit-1 --model 'linear + a^3' --json").json();
  CHECK(confounded["log_det"].is_null());  // three levels: the cube is the parameter itself
  CHECK(confounded["d_efficiency"] == 0);
  CHECK(contains(confounded["notes"][0]["text"], "a^3 with a"));
  const Answer bad = tool("assess --batch nothing");
  CHECK(bad.status == 2);
  CHECK(contains(bad.err, "use one of fit-1"));
  CHECK(tool("assess --batch fit-1 --model 'linear + zz'").status == 2);
}

TEST_CASE("a sweep stores nothing, and the plan that follows it is the swept one, whatever it is called") {
  const Tool tool;
  tool.write("study.toml", bench_study);
  const Answer answer = tool("plan optimal --model quadratic --runs 10..14 --restarts 3 --json");
  REQUIRE(answer.status == 0);
  const json sweep = answer.json();
  CHECK(sweep["sweep"].size() == 5);
  CHECK(sweep["runs"].empty());
  CHECK(tool("runs --json").json()["runs"].empty());
  for (const char* key :
       {"runs", "log_det", "d_efficiency", "a_efficiency", "g_efficiency", "i_value", "max_vif"})
    CHECK(sweep["sweep"][0].contains(key));
  tool("plan latin-hypercube --runs 5 --use check");
  REQUIRE(tool("plan optimal --model quadratic --runs 12 --restarts 3 --batch mine").status == 0);
  const json judged = tool("assess --batch mine --json").json();
  CHECK(judged["terms"].size() == 10);  // the model it was made for
  for (const char* key : {"log_det", "d_efficiency", "a_efficiency", "i_value", "max_vif"})
    CHECK(judged[key].get<double>() == doctest::Approx(sweep["sweep"][2][key].get<double>()).epsilon(1e-9));
  CHECK(judged["g_efficiency"].get<double>() ==
        doctest::Approx(sweep["sweep"][2]["g_efficiency"].get<double>()).epsilon(1e-3));
  CHECK(contains(tool("plan optimal --runs 10..14 --restarts 2").out, "← suggested"));
}

TEST_CASE("extending keeps the old runs, says before and after, and goes on from where it ended") {
  const Tool tool;
  tool.write("study.toml", bench_study);
  tool("plan sobol --runs 8");
  const json more = tool("plan extend fit-1 --runs 4 --json").json(),
             again = tool("plan extend fit-1 --runs 4 --json").json();
  CHECK(more["batch"] == "fit-1");
  CHECK(more["runs"][0]["origin"] == "added");
  CHECK(more["before"]["runs"] == 8);
  CHECK(more["assessment"]["runs"] == 12);
  CHECK(more["runs"][0]["point"] != again["runs"][0]["point"]);
  const json whole = tool("plan sobol --runs 16 --batch whole --dry-run --seed " +
                          std::to_string(more["seed"].get<std::int64_t>()) + " --json")
                         .json();
  CHECK(whole["runs"][11]["point"] == more["runs"][3]["point"]);
  CHECK(whole["runs"][15]["point"] == again["runs"][3]["point"]);
  tool("plan optimal --model linear --runs 6 --batch best");
  CHECK(tool("plan extend best --runs 3").status == 0);
  tool("plan box-behnken --batch box");
  const Answer complete = tool("plan extend box");
  CHECK(complete.status == 2);
  CHECK(contains(complete.err, "complete as it is"));
  CHECK(tool("plan extend").status == 2);
  CHECK(tool("plan extend none").status == 2);
}

TEST_CASE("check runs are placed far from the fitting runs, and say how far") {
  const Tool tool;
  tool.write("study.toml", bench_study);
  tool("plan latin-hypercube --runs 20 --criterion discrepancy");
  const json far = tool("plan --use check --runs 8 --dry-run --json").json(),
             random = tool("plan random --use check --runs 8 --dry-run --json").json();
  CHECK(far["method"] == "spread");
  CHECK(far["min_distance_to_fit_runs"].get<double>() > random["min_distance_to_fit_runs"].get<double>());
  CHECK(contains(tool("plan --use check --runs 8").out, "No check run is nearer than"));
}

TEST_CASE("requests that make no sense are refused with the remedy, and nothing is written") {
  const Tool tool;
  tool.write("study.toml", bench_study);
  const std::pair<const char*, const char*> bad[] = {
      {"plan optimal --runs 5", "5 runs cannot estimate 10 terms"},
      {"plan optimal --runs 40..16", "not a range"},
      {"plan sobol --runs 4..8", "range of runs is for optimal"},
      {"plan optimal --model 'linear + q'", "q"},
      {"plan optimal --criterion Z", "use one of D, I, A, G"},
      {"plan full-factorial --levels 1000 --replicates 1000", "1e+12 runs"},
      {"plan fractional-factorial --resolution VI", "use III, IV or V"},
      {"plan fractional-factorial --generators 'c=a*b,c=a*b'", "generated twice"},
      {"plan latin-hypercube --axial face", "does not take --axial"},
      {"plan central-composite --blocks 7", "use 1, 2, 3"},
      {"plan box-behnken --blocks 2", "orthogonal blocks"},
      {"plan orthogonal-array --runs 10", "no array of 10 runs"},
      {"plan optimal --include none", "unknown batch none"},
      {"plan scatter --at a=1,zz=2", "zz"},
      {"plan optimal --candidates missing.csv", "missing.csv"},
      {"plan lattice", "use one of full-factorial"},
      {"plan sobol extra", "one word too many"},
      {"plan uncertain", "renth fit first"},
      {"plan --runs many", "not a number of runs"},
      {"draw variance -o x.png", "no runs to judge"},
      {"draw sweep -o x.png", "--runs 16..40"},
  };
  for (const auto& [command, why] : bad) {
    CAPTURE(command);
    const Answer answer = tool(command);
    CAPTURE(answer.err);
    CHECK(answer.status == 2);
    CHECK(contains(answer.err, why));
    CHECK(answer.out.empty());
  }
  CHECK(tool("runs --json").json()["runs"].empty());
  CHECK_FALSE(std::filesystem::exists(tool.folder / "x.png"));
}

TEST_CASE("limits that leave nothing, or a step that leaves one value, are said before anything is written" *
          doctest::test_suite("long")) {
  const Tool tool;
  tool.write("study.toml", std::string(bench_study) + "[[limit]]\nkeep = \"a + c < 0\"\n");
  for (const char* method :
       {"latin-hypercube", "sobol", "spread", "optimal", "full-factorial", "central-composite"}) {
    CAPTURE(method);
    const Answer answer = tool(std::string("plan ") + method);
    CHECK(answer.status == 2);
    CHECK(contains(answer.err, "limits"));
  }
  CHECK(tool("runs --json").json()["runs"].empty());
}

TEST_CASE("only listed candidates are used, and every figure of a plan is drawn") {
  const Tool tool;
  tool.write("study.toml", bench_study);
  std::string table = "a,b,c\n";
  for (const char* a : {"0", "3.3", "10"})
    for (const char* b : {"-1", "0.1", "1"})
      for (const char* c : {"20", "29", "40"}) table += std::string(a) + "," + b + "," + c + "\n";
  tool.write("list.csv", table);
  const json plan = tool("plan optimal --model quadratic --runs 14 --candidates list.csv --json").json();
  for (const json& run : plan["runs"])
    CHECK((run["point"]["a"] == 0 || run["point"]["a"] == 3.3 || run["point"]["a"] == 10));
  for (const char* figure : {"variance", "region-share", "pairs", "correlation", "sweep --runs 10..13"}) {
    CAPTURE(figure);
    const Answer answer = tool(std::string("draw ") + figure + " -o f.svg");
    CAPTURE(answer.err);
    CHECK(answer.status == 0);
    CHECK(contains(tool.read("f.svg"), "</svg>"));
    std::filesystem::remove(tool.folder / "f.svg");
  }
  tool("plan central-composite --batch ccd");
  CHECK(tool("draw region-share --batch ccd --against fit-1 --centre 1,3,5 -o f.png").status == 0);
  CHECK(tool("draw region-share --batch fit-1 --centre 1,3 -o f.png").status == 2);
}

TEST_CASE("where the surrogates know least: new runs keep away from those that were fitted") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  tool("plan sobol --runs 12");
  tool("run --quiet");
  tool("fit kriging --response y");
  const json plan = tool("plan uncertain --runs 4 --json").json();
  REQUIRE(plan["runs"].size() == 4);
  CHECK(plan["method"] == "uncertain");
  CHECK(plan["space"]["min_distance"].get<double>() > 0.1);
}

TEST_CASE("surrogates that state no uncertainty are said to, and are not taken for ones that are missing") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  tool("plan sobol --runs 3 --seed 1");
  tool("run --quiet");
  // As many runs as terms: nothing is left to tell an error by.
  REQUIRE(tool("fit polynomial --model 'a + b' --response y").status <= 1);
  const Answer plan = tool("plan uncertain --runs 4");
  CHECK(plan.status == 2);
  CHECK(contains(plan.err, "surrogates of y state no uncertainty anywhere"));
  CHECK(contains(plan.err, "renth plan spread"));
}

TEST_CASE("optimal runs against a limit lie on its allowed side, at settings as they are printed") {
  const Tool tool;
  tool.write("study.toml",
             "[study]\nname = \"limits\"\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n[[parameter]]\nname = "
             "\"b\"\nspan = [0, 1]\n[[parameter]]\nname = \"c\"\nspan = [3, 8]\n[[limit]]\nkeep = \"a + b <= "
             "1.1\"\n[[limit]]\nkeep = \"a * c <= 5 - b / 3\"\n[[limit]]\nkeep = \"exp(a) + c > 4.7\"\n"
             "[[response]]\nname = \"y\"\n");
  for (const char* criterion : {"D", "I", "A", "G"})
    for (int seed = 1; seed <= 3; ++seed) {
      const auto plan = tool("plan optimal --runs 16 --restarts 3 --dry-run --json --criterion " +
                             std::string(criterion) + " --seed " + std::to_string(seed))
                            .json();
      int against = 0;
      for (const auto& run : plan["runs"]) {
        const double a = run["point"]["a"], b = run["point"]["b"], c = run["point"]["c"];
        const double margin = std::min({1.1 - (a + b), 5 - b / 3 - a * c, std::exp(a) + c - 4.7});
        CHECK(margin >= -1e-15);
        against += margin < 1e-3;
        for (const double v : {a, b, c}) CHECK(std::abs(v * 1e4 - std::round(v * 1e4)) < 1e-9);
      }
      CHECK(against >= 4);  // and use it: without the limits more lie at corners that they forbid
    }
}
