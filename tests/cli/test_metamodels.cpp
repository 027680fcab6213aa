#include <doctest/doctest.h>

#include <algorithm>
#include <cli/solver_study.hpp>
#include <cmath>

using namespace renth::test;
using nlohmann::json;

namespace {

/// Two numbers and a curve of four parameters, of which the last does nothing.
const char* const wavy_study = R"toml([study]
name = "wavy"
seed = 11
[[parameter]]
name = "a"
span = [0, 1]
[[parameter]]
name = "b"
span = [0, 1]
[[parameter]]
name = "c"
choices = ["red", "green", "blue"]
[[parameter]]
name = "idle"
span = [10, 20]
[[axis]]
name = "t"
unit = "s"
points = [0, 1, 2, 3, 4]
[[response]]
name = "y"
unit = "kW"
goal = "maximise"
[[response]]
name = "z"
accept = { max = 2.5 }
[[response]]
name = "f"
along = "t"
[[response]]
name = "top"
derive = "max(f)"
[solver]
kind = "formula"
[solver.formula]
y = "sin(6 * a) + b * b + (c == 'blue' ? 0.5 * a : 0)"
z = "1 + a + b"
f = "sin(5 * a) * cos(t) + b * t"
)toml";

void make_wavy(const Tool& tool, int runs = 40) {
  tool.write("study.toml", wavy_study);
  tool("plan latin-hypercube --runs " + std::to_string(runs));
  REQUIRE(tool("run").status == 0);
}

const json& model_of(const json& document, const std::string& response) {
  for (const json& m : document["models"])
    if (m["response"] == response) return m;
  FAIL("no model of " << response);
  return document;
}

}  // namespace

TEST_CASE("fit lists every candidate with its settings, and leaves idle parameters out" *
          doctest::test_suite("long")) {
  const Tool tool;
  make_wavy(tool);
  const Answer a = tool("fit --json");
  CHECK(a.err.empty());  // no progress where nobody looks
  const json fit = a.json();
  const json& y = model_of(fit, "y");
  std::vector<std::string> kinds;
  for (const json& t : y["tried"]) {
    kinds.push_back(t["kind"]);
    CHECK((t["q2"].is_number() || t.contains("why")));
  }
  for (const char* kind : {"polynomial", "chaos", "kriging", "rbf", "moving", "blend"})
    CHECK(std::count(kinds.begin(), kinds.end(), kind) >= 1);
  CHECK(contains(y["why"].get<std::string>(), "candidates"));
  CHECK(y["quality"]["q2"].get<double>() > 0.8);
  CHECK(model_of(fit, "z")["verdict"] == "good");
  CHECK(model_of(fit, "f")["quality"]["along"].size() == 5);
  const std::string text = tool("fit kriging --response y").out;
  CHECK(contains(text, "kernel"));
  const json kriging = tool("fit kriging --response y --json").json()["models"][0];
  CHECK(kriging["idle"] == json::array({"idle"}));
  CHECK(contains(text, "leaves out idle"));
  const json kept = tool("fit kriging --keep-idle --response y --json").json()["models"][0];
  CHECK(kept["idle"].empty());
}

TEST_CASE("settings of a kind can be named, and what does not belong together is refused" *
          doctest::test_suite("long")) {
  const Tool tool;
  make_wavy(tool, 30);
  for (const char* options : {"kriging --kernel gaussian --trend linear", "--kernel matern52-product",
                              "kriging --criterion leave-one-out", "kriging --nugget estimated --no-prior",
                              "kriging --nugget 0.01 --trend \"1 + a\"", "rbf --basis multiquadric",
                              "--basis cubic", "blend", "chaos", "moving", "--candidates 2", "--repeats 2"}) {
    CAPTURE(options);
    const Answer a = tool(std::string("fit ") + options + " --response y --json");
    CHECK(a.status <= 1);
    const json m = a.json()["models"][0];
    CHECK(m["quality"]["q2"].is_number());
    CHECK_FALSE(m["verdict"].get<std::string>().empty());
  }
  CHECK(tool("fit kriging --kernel exponential --response y --json").json()["models"][0]["detail"] ==
        "exponential kernel");
  const std::pair<const char*, const char*> wrong[] = {
      {"fit rbf --kernel gaussian", "for kriging"},
      {"fit kriging --basis cubic", "for kind rbf"},
      {"fit --kernel gaussian --basis cubic", "for kri"},
      {"fit chaos --model linear", "for polynomials"},
      {"fit kriging --nugget much", "unknown nugget"},
      {"fit kriging --nugget replicates --response y", "no run is repeated"},
      {"fit kriging --trend speed", "speed"},
      {"fit --kernel spline", "--kernel"},
      {"fit --candidates 0", "--candidates"}};
  for (const auto& [command, says] : wrong) {
    CAPTURE(command);
    const Answer a = tool(command);
    CHECK(a.status == 2);
    CHECK_MESSAGE(contains(a.err, says), a.err);
    CHECK(a.out.empty());
  }
}

TEST_CASE("a surrogate of every kind is kept, asked, ranked, searched and drawn alike" *
          doctest::test_suite("long")) {
  const Tool tool;
  make_wavy(tool, 30);
  for (const char* kind : {"polynomial", "chaos", "kriging", "rbf", "moving", "blend"}) {
    CAPTURE(kind);
    REQUIRE(tool(std::string("fit ") + kind).status <= 1);
    const json p = tool("predict --at a=0.3,b=0.5,c=blue --json").json()["predictions"][0]["responses"];
    CHECK(p["y"]["mean"].get<double>() == doctest::Approx(std::sin(1.8) + 0.25 + 0.15).epsilon(0.5));
    CHECK(p["f"]["mean"].size() == 5);
    CHECK(p["top"]["sd"].is_number());  // carried through from the curve
    CHECK(p["y"]["prediction"][0] <= p["y"]["prediction"][1]);
    CHECK(tool("rank --response y --json").json()["responses"][0]["parameters"].size() == 4);
    CHECK(tool("seek --json").json()["proposals"].size() >= 1);
    CHECK(tool("extremes --response y --json").status <= 1);
  }
}

TEST_CASE("trust says how the intervals hold and how many more runs would help") {
  const Tool tool;
  make_wavy(tool, 24);
  tool("plan --use check --runs 12");
  tool("run");
  tool("fit kriging --response y");
  const json t = tool("trust --response y --target 0.9999 --json").json()["responses"][0];
  CHECK(t["coverage"]["cross_validated"].get<double>() >= 0.9);
  CHECK(t["coverage"]["calibrated_check"].is_number());
  CHECK(t["learning"]["target"] == 0.9999);
  CHECK(t["learning"]["points"].size() == 5);
  CHECK(contains(t["learning"]["says"].get<std::string>(), "runs"));
  CHECK(t["learning"]["points"].back()["q2"].get<double>() ==
        doctest::Approx(t["quality"]["q2"].get<double>()));
  // With few runs it says that it cannot say.
  const Tool few;
  make_wavy(few, 9);
  few("fit kriging --response z");
  CHECK(
      contains(few("trust --response z --json").json()["responses"][0]["learning"]["says"].get<std::string>(),
               "too few"));
}

TEST_CASE("a curve with missing axis points is fitted as a whole, and predicted with bands" *
          doctest::test_suite("long")) {
  const Tool tool;
  tool.write("study.toml", wavy_study);
  std::string csv = "a,b,c,idle,f[0],f[1],f[2],f[3],f[4]\n";
  for (int i = 0; i < 30; ++i) {
    const double a = std::fmod(0.618 * i, 1.0), b = std::fmod(0.755 * i, 1.0);
    csv += std::to_string(a) + "," + std::to_string(b) + ",red,15";
    for (int t = 0; t < 5; ++t)
      csv += i % 7 == t ? "," : "," + std::to_string(std::sin(5 * a) * std::cos(t) + b * t);
    csv += "\n";
  }
  tool.write("runs.csv", csv);
  const Answer imported = tool("import runs.csv");
  CHECK_MESSAGE(imported.status == 0, imported.err);
  const json m = tool("fit kriging --response f --json").json()["models"][0];
  CHECK(m["runs"] == 30);
  CHECK(contains(m["detail"].get<std::string>(), "kernel"));
  for (const json& at : m["quality"]["along"]) CHECK(at["q2"].get<double>() > 0.8);
  const json f = tool("predict --at a=0.5,b=0.5,idle=15 --json").json()["predictions"][0]["responses"]["f"];
  for (int t = 0; t < 5; ++t)
    CHECK(f["mean"][std::size_t(t)].get<double>() ==
          doctest::Approx(std::sin(2.5) * std::cos(t) + 0.5 * t).epsilon(0.1).scale(1));
}

TEST_CASE("figures of trust are drawn, and say what they cannot show" * doctest::test_suite("long")) {
  const Tool tool;
  make_wavy(tool, 30);
  tool("fit");
  for (const char* figure :
       {"predicted-observed", "error-map --response y", "learning --response y", "curve --at a=0.2"}) {
    CAPTURE(figure);
    const Answer a = tool("draw " + std::string(figure) + " -o figure.svg");
    CHECK_MESSAGE(a.status <= 1, a.err);
    CHECK(contains(tool.read("figure.svg"), "<svg"));
  }
  CHECK(contains(tool("draw curve --response y -o f.svg").err, "is not a curve"));
  CHECK(contains(tool("draw error-map --response f -o f.svg").err, "is a curve"));
}

TEST_CASE("refine runs where it helps until the target is reached, and tells each round" *
          doctest::test_suite("long")) {
  const Tool tool;
  make_wavy(tool, 14);
  const Answer a = tool("refine --until y=0.97 --budget 40 --batch-size 5 --json");
  const json r = a.json();
  CHECK(a.status == 0);
  CHECK(r["reached"] == true);
  CHECK(r["responses"][0]["q2"].get<double>() >= 0.97);
  CHECK(r["spent"].get<int>() <= 40);
  CHECK(r["spent"].get<int>() == 5 * int(r["rounds"].size()));
  CHECK(contains(a.err, "round 1: 5 runs in refine-1: y Q²"));
  for (const json& run : runs_of(tool, "batch == 'refine-1'")) {
    CHECK(run["origin"] == "added");
    CHECK(run["status"] == "done");
  }
  // Nothing more to do: nothing is run.
  CHECK(tool("refine --until y=0.97 --json").json()["spent"] == 0);
  // Where the surface crosses a value: the runs lie near it.
  const json level =
      tool("refine --level-of z=2 --until z=0.999999999999 --budget 4 --batch-size 4 --json").json();
  if (level["spent"] == 4) {
    const std::string batch = level["rounds"][0]["batch"];
    for (const json& run : runs_of(tool, "batch == '" + batch + "'"))
      CHECK(std::abs(run["responses"]["z"].get<double>() - 2) < 0.5);
  }
  // Towards the best: the best run gets better, or was already the best there is. What the user sought stays.
  const json sought = tool("seek --hold a=0.9 --json").json()["proposals"][0]["point"];
  const json best =
      tool("refine --strategy best --until-error 0.001 --budget 6 --batch-size 3 --json").json();
  double most = 0;
  for (const json& run : runs_of(tool))
    if (run["responses"]["z"].get<double>() <= 2.5)
      most = std::max(most, run["responses"]["y"].get<double>());
  CHECK(most > 1.8);  // near a = 0.26, b = 1
  CHECK(best["strategy"] == "best");
  CHECK(tool("confirm --json").json()["proposals"][0]["point"] == sought);
}

TEST_CASE("refine refuses what makes no sense, and a study without a solver gets a plan to measure" *
          doctest::test_suite("long")) {
  const Tool tool;
  make_wavy(tool, 14);
  const std::pair<const char*, const char*> wrong[] = {{"refine --until speed=0.9", "unknown response speed"},
                                                       {"refine --until y=2", "cannot be 2"},
                                                       {"refine --strategy level", "no level is given"},
                                                       {"refine --level-of f=2", "is a curve"},
                                                       {"refine --until top=0.9", "derived"}};
  for (const auto& [command, says] : wrong) {
    CAPTURE(command);
    const Answer a = tool(command);
    CHECK(a.status == 2);
    CHECK_MESSAGE(contains(a.err, says), a.err);
  }
  std::string text = tool.read("study.toml");
  text = text.substr(0, text.find("[solver]")) + "[solver]\nkind = \"manual\"\n";
  tool.write("study.toml", text);
  const Answer manual = tool("refine --until y=0.9999999 --budget 6 --batch-size 6");
  CHECK(manual.status == 1);
  CHECK(contains(manual.out, "measure"));
  CHECK(tool("runs --json --where \"batch == 'refine-1'\"").json()["runs"].size() == 6);
  CHECK(contains(tool("refine --until y=0.9999999").out, "wait to be measured"));
}

TEST_CASE(
    "a condition on a curve holds as one on the number derived from it, in seek, scenarios and filters") {
  const Tool tool;
  make_wavy(tool, 20);
  tool("fit kriging");
  const json by_number = tool("seek --keep 'top <= 0.8' --json").json(),
             by_curve = tool("seek --keep 'max(f) <= 0.8' --json").json();
  CHECK(by_curve["feasible"] == true);
  const json point = by_curve["proposals"][0]["point"];
  CHECK(point == by_number["proposals"][0]["point"]);
  CHECK(point != tool("seek --json").json()["proposals"][0]["point"]);
  CHECK(by_curve["proposals"][0]["limited_by"] == json::array({"max(f) <= 0.8"}));
  CHECK(by_curve["proposals"][0]["responses"]["top"]["mean"].get<double>() <= 0.8 + 1e-6);
  tool.write("study.toml",
             std::string(wavy_study) + "[[scenario]]\nname = \"low\"\nkeep = [\"max(f) <= 0.8\"]\n");
  CHECK(tool("seek --scenario low --json").json()["proposals"][0]["point"] == point);
  const auto ids = [&](const std::string& where) {
    std::vector<int> out;
    for (const json& run : runs_of(tool, where)) out.push_back(run["id"]);
    return out;
  };
  CHECK(ids("max(f) > 1") == ids("top > 1"));
  CHECK(ids("max(f) > 1").size() + ids("max(f) <= 1").size() == 20);
  for (const char* command : {"seek --keep 'at(f, 9) > 0'", "runs --where 'at(f, 9) > 0'"}) {
    const Answer a = tool(command);
    CHECK(a.status == 2);
    CHECK_MESSAGE(contains(a.err, "9 is outside the axis of f"), a.err);
    CHECK_MESSAGE(contains(a.err, "0 … 4"), a.err);
  }
  CHECK(contains(tool("seek --keep 'f > 0'").err, "is a curve"));
  CHECK(contains(tool("runs --sort f").err, "f is a curve"));
}

TEST_CASE("where the peak of a curve may lie at either of two places, its place has a deviation") {
  const Tool tool;
  tool.write("study.toml",
             std::string(wavy_study) + "[[response]]\nname = \"when\"\nderive = \"argmax(f)\"\n");
  tool("plan latin-hypercube --runs 20");
  tool("run");
  tool("fit kriging --response f");
  // sin(1.5) at t = 0 against sin(1.5) cos(4) + 4 b at t = 4: as high at b = 0.412.
  std::string points = "a,b,c,idle\n";
  for (int i = 0; i <= 40; ++i) points += "0.3," + std::to_string(0.392 + 0.001 * i) + ",red,15\n";
  tool.write("points.csv", points + "0.3,0.9,red,15\n");
  const json predicted = tool("predict --points points.csv --json").json()["predictions"];
  int places = 0, unsure = 0;
  for (std::size_t i = 0; i < predicted.size(); ++i) {
    const json& when = predicted[i]["responses"]["when"];
    places |= when["mean"] == 0.0 ? 1 : 2;
    unsure += when["sd"].get<double>() > 0;
  }
  CHECK(places == 3);
  CHECK(unsure > 0);
  CHECK(unsure < 41);
  CHECK(predicted.back()["responses"]["when"]["sd"] == 0.0);
}

TEST_CASE("refine keeps out of where runs fail, as it learns it, unless told to look everywhere" *
          doctest::test_suite("long")) {
  const auto refined_beyond = [](const std::string& options) {
    const Tool tool;
    tool.write("study.toml", R"toml([study]
name = "half"
seed = 5
[[parameter]]
name = "a"
span = [0, 1]
[[parameter]]
name = "b"
span = [0, 1]
[[response]]
name = "y"
[solver]
kind = "formula"
[solver.formula]
y = "sqrt(0.6 - a) + sin(7 * b)"
)toml");
    tool("plan latin-hypercube --runs 30");
    CHECK(tool("run").status == 3);
    const Answer a =
        tool("refine --kind kriging --until y=0.9999999 --budget 12 --batch-size 6 --json " + options);
    CHECK(a.json()["spent"] == 12);
    int beyond = 0;
    for (const json& run : runs_of(tool, "batch != 'fit-1'"))
      if (run["origin"] == "added" && run["point"]["a"].get<double>() > 0.65) ++beyond;
    CHECK((a.status == 3) == (a.json()["failed"].get<int>() > 0));
    return beyond;
  };
  CHECK(refined_beyond("") == 0);
  CHECK(refined_beyond("--feasible 0") >= 3);
}

TEST_CASE("a refine that is killed goes on with its batch, and loses nothing" * doctest::test_suite("long")) {
  const Tool tool;
  make_study(tool, "sleep 0.3\n" + answer);
  tool("plan latin-hypercube --runs 6");
  tool("run -q");
  const pid_t refining =
      tool.start("refine --until y=0.99999999999 --budget 8 --batch-size 8 --quiet --kind kriging");
  REQUIRE(wait_until([&] { return starts(tool, "start").size() >= 8; }));
  kill(refining, SIGKILL);
  Tool::end(refining);
  const json r = tool("refine --until y=0.99999999999 --budget 8 --kind kriging --json").json();
  CHECK(has_note(r, "resumed"));
  CHECK(r["spent"].get<int>() >= 6);
  for (const auto& [run, times] : starts(tool)) CHECK_MESSAGE(times == 1, run);
  CHECK(starts(tool).size() == 14);
}
