#include <doctest/doctest.h>

#include <cli/tool.hpp>
#include <cmath>

using namespace renth::test;

namespace {

void make_fitted_formula(const Tool& tool) {
  tool.write("study.toml", formula_study);
  REQUIRE(tool("plan --runs 30").status == 0);
  REQUIRE(tool("plan --use check --runs 10").status == 0);
  REQUIRE(tool("run").status == 0);
  REQUIRE(tool("fit kriging").status == 0);
}

}  // namespace

TEST_CASE("every verb explains itself, with defaults") {
  const Tool tool;
  const std::string all = tool("--help").out;
  for (const char* verb :
       {"init", "check", "plan", "discard", "run", "runs", "import", "set-aside", "restore", "fit", "trust",
        "rank", "predict", "extremes", "seek", "confirm", "draw", "demo"}) {
    CAPTURE(verb);
    CHECK(contains(all, verb));
    const Answer help = tool(std::string(verb) + " --help");
    CHECK(help.status == 0);
    CHECK(help.out.size() > 40);
  }
  CHECK(contains(tool("plan --help").out, "default"));
  CHECK(contains(tool("fit --help").out, "kriging: "));
  CHECK(tool("--version").out.rfind("renth ", 0) == 0);
  const auto built = tool("--version --json").json();
  CHECK(tool("--version").out == "renth " + built["version"].get<std::string>() + "\n");
  CHECK(built["libraries"]["eigen"].get<std::string>().rfind("3.", 0) == 0);
  CHECK(built["spreadsheets"].is_boolean());
}

TEST_CASE("with --json standard output is one document and nothing else, and nothing is said beside it") {
  const Tool tool;
  make_fitted_formula(tool);
  for (const char* verb : {"check", "plan --dry-run --runs 5 --batch x", "runs", "fit", "trust", "rank",
                           "predict", "extremes", "seek", "confirm", "run", "draw slices -o s.svg"}) {
    CAPTURE(verb);
    const Answer a = tool(std::string(verb) + " --json");
    CHECK(a.status <= 1);
    CHECK_NOTHROW(a.json());
    CHECK(a.json()["notes"].is_array());
    CHECK(a.err.empty());  // no terminal, no progress
  }
}

TEST_CASE("tables say the sentence that matters, units, and the next step") {
  const Tool tool;
  make_fitted_formula(tool);
  const std::string plan = tool("plan --runs 12 --batch more --dry-run").out;
  CHECK(contains(plan, "Would plan 12 runs in batch more by spread"));
  CHECK(contains(plan, "Why: "));
  const std::string trust = tool("trust --response y").out;
  CHECK(contains(trust, "y: good."));
  CHECK(contains(trust, "kW off"));
  CHECK(contains(trust, "The worst run is"));
  CHECK(contains(trust, "10 check runs"));
  CHECK(contains(trust, "next: "));
  const std::string rank = tool("rank --response y").out;
  CHECK(contains(rank, "a matters most"));
  CHECK(contains(rank, "total [%]"));
  const std::string predict = tool("predict --at a=3").out;
  CHECK(contains(predict, "y [kW]"));
  CHECK(contains(predict, "95 % of a run"));
  const std::string check = tool("check").out;
  CHECK(contains(check, "formula: 3 parameters vary, 0 fixed, 3 responses"));
  CHECK(contains(check, "steps of 0.1"));
  CHECK(contains(check, "choice: red, green"));
  CHECK(contains(tool("seek --maximise y").out, "limited by z <= 3"));
}

TEST_CASE("a wider level makes wider intervals, of the width that the distribution says") {
  const Tool tool;
  make_fitted_formula(tool);
  REQUIRE(tool("fit kriging --trend constant --response y").status == 0);
  const auto half = [&](const std::string& level) {
    const auto b = tool("predict --at a=0.1,b=-0.9 --json --level " + level)
                       .json()["predictions"][0]["responses"]["y"]["confidence"];
    return 0.5 * (b[1].get<double>() - b[0].get<double>());
  };
  // Student's t with 29 degrees of freedom: 2.0452 and 1.3114.
  CHECK(half("0.95") / half("0.80") == doctest::Approx(2.04523 / 1.31143).epsilon(1e-4));
  CHECK(tool("predict --level 2").status == 2);
}

TEST_CASE("points from a table, points outside, and settings between steps are answered and said") {
  const Tool tool;
  make_fitted_formula(tool);
  tool.write("points.csv", "a,c\n1,red\n3.7,green\n9,red\n");
  const auto document = tool("predict --points points.csv --json").json();
  REQUIRE(document["predictions"].size() == 3);
  CHECK(document["predictions"][0]["responses"]["y"]["inside"] == true);
  CHECK(document["predictions"][2]["responses"]["y"]["inside"] == false);
  CHECK(contains(document["notes"].dump(), "outside the region that the runs cover"));
  tool.write("points.csv", "a,q\n1,2\n");
  CHECK(contains(tool("predict --points points.csv").err, "unknown parameter q"));
  tool.write("points.csv", "a\n");
  CHECK(tool("predict --points points.csv").status == 2);
}

TEST_CASE("predict answers in another process from the store alone") {
  const Tool tool;
  make_fitted_formula(tool);
  const std::string before = tool("predict --at a=2 --json").out;
  tool.shell("mkdir elsewhere && cp study.toml study.db elsewhere/");
  CHECK(tool("-s elsewhere predict --at a=2 --json").out == before);
  CHECK(tool("--study elsewhere --json predict --at a=2").out == before);  // options before or after the verb
}

TEST_CASE("extremes are no farther than the formula's own, and seek's desirabilities stand between them") {
  const Tool tool;
  make_fitted_formula(tool);
  const auto extremes = tool("extremes --response y --json").json()["responses"][0];
  CHECK(extremes["max"]["value"].get<double>() ==
        doctest::Approx(11 - 4 * 0.02 * 0.02).epsilon(1e-3));  // a 3, b 0.3
  CHECK(extremes["max"]["point"]["c"] == "green");
  CHECK(extremes["max"]["point"]["b"] == 0.3);
  CHECK(extremes["min"]["value"].get<double>() == doctest::Approx(10 - 9 - 4 * 1.32 * 1.32).epsilon(1e-2));
}

TEST_CASE("confirm at settings of one's own, and a miss is said with exit 1") {
  const Tool tool;
  std::string study = formula_study;
  // A cliff that thirty runs do not see: the surrogate cannot know.
  study.replace(study.find("(c == 'green' ? 1 : 0)"), 22, "(a > 3.93 && b > 0.95 ? 50 : 0)");
  tool.write("study.toml", study);
  tool("plan --runs 30");
  tool("run");
  REQUIRE(tool("fit kriging --response y").status == 0);
  REQUIRE(tool("fit kriging --response z").status == 0);
  const Answer missed = tool("confirm --at a=4,b=1 --json");
  CHECK(missed.status == 1);
  CHECK(missed.json()["proposals"][0]["responses"]["y"]["within_interval"] == false);
  CHECK(contains(tool("confirm --at a=4,b=1").out, "too sure of itself"));
  CHECK(tool("confirm --at a=1,b=0 --json").status == 0);
  CHECK(tool("confirm --proposal 1").status == 2);
  CHECK(tool("fit kriging --take confirm --json").json()["models"][0]["runs"] == 32);
}

TEST_CASE("discard removes what is planned and only that") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  tool("plan --runs 10 --batch keep");
  tool("run");
  tool("plan --runs 10 --batch drop");
  CHECK(tool("discard drop --json").json()["removed"] == 10);
  CHECK(tool("discard keep --json").json()["removed"] == 0);
  CHECK(tool("runs --json").json()["runs"].size() == 10);
  CHECK(tool("plan --runs 5 --batch keep").status == 2);  // the name is taken
  CHECK(tool("plan --runs 5 --json").json()["runs"][0]["id"] == 21);
}

TEST_CASE("runs of a batch only, and of some numbers only") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  tool("plan random --runs 6 --batch one");
  tool("plan random --runs 6 --batch two");
  CHECK(tool("run --batch two --json").json()["done"] == 6);
  CHECK(tool("run --only 2,3 --json").json()["done"] == 2);
  CHECK(tool("runs --json --where \"status == 'planned' && batch == 'one'\"").json()["runs"].size() == 4);
}

TEST_CASE("a result that nobody can take ends with 4") {
  const Tool tool;
  make_fitted_formula(tool);
  CHECK(tool.shell(std::string(RENTH_BINARY) + " runs --json > /dev/full").status == 4);
}

TEST_CASE("init alone makes a short study that works as it stands") {
  const Tool tool;
  CHECK(tool("init mine").status == 0);
  CHECK(tool("-s mine check").status == 0);
  CHECK(tool("-s mine plan --runs 20").status == 0);
  CHECK(tool("-s mine run").status == 0);
  CHECK(tool("-s mine fit").status == 0);
  const auto best = tool("-s mine seek --json").json()["proposals"][0];
  CHECK(best["responses"]["displaced"]["mean"].get<double>() == doctest::Approx(900).epsilon(0.01));
  CHECK(tool("init mine").status == 2);
}

TEST_CASE("an unfit surrogate is told by every verb that asks it, with exit 1") {
  const Tool tool;
  std::string study = formula_study;
  const std::size_t y = study.find("10 - (a");
  study.replace(y, study.find('"', y) - y, "sin(900 * a * (b + 2))");
  tool.write("study.toml", study);
  tool("plan --runs 25");
  tool("run");
  CHECK(tool("fit kriging").status == 1);
  for (const char* verb : {"trust", "rank --response y", "predict", "extremes --response y", "seek",
                           "draw slices --response y -o y.svg"}) {
    CAPTURE(verb);
    const Answer a = tool(std::string(verb) + " --json");
    CHECK(a.status == 1);
    CHECK((contains(a.out, "unfit")));
  }
  CHECK(tool("rank --response z").status == 0);  // what rests on a good one is fine
  CHECK(tool("draw slices --response z -o z.svg").status == 0);
}

TEST_CASE("a derived response that is undefined somewhere is null there, with a note") {
  const Tool tool;
  std::string study = formula_study;
  study.replace(study.find("y / (z + 10)"), 12, "sqrt(z - 2)");
  tool.write("study.toml", study);
  tool("plan --runs 30");
  tool("run");
  tool("fit kriging");
  const Answer a = tool("predict --at a=0,b=0 --at a=4,b=1 --json");
  CHECK(a.status == 0);
  const auto document = a.json();
  CHECK(document["predictions"][0]["responses"]["ratio"]["mean"].is_null());
  CHECK(document["predictions"][1]["responses"]["ratio"]["mean"].get<double>() ==
        doctest::Approx(2).epsilon(1e-3));
  CHECK(contains(document["notes"].dump(), "ratio is undefined"));
  CHECK(tool("seek --maximise y --keep 'ratio >= 0.5' --json").json()["feasible"] == true);
}

TEST_CASE("on a narrow terminal tables and progress keep to its width, in a pipe nothing is folded") {
  const Tool tool;
  make_fitted_formula(tool);
  if (tool.shell("script -qec true /dev/null").status != 0) {
    MESSAGE("needs script; not tested here");
    return;
  }
  const auto widest = [&](const std::string& command) {
    // What is drawn over again begins anew after a carriage return.
    const Answer shown =
        tool.shell("script -qec \"stty cols 60; " RENTH_BINARY " " + command + "\" /dev/null");
    CHECK(shown.status <= 1);
    int most = 0, width = 0;
    bool escape = false;
    for (const char c : shown.out) {
      escape = escape || c == '\x1b';
      if (!escape && c != '\r' && c != '\n') width += (static_cast<unsigned char>(c) & 0xc0U) != 0x80U;
      if (escape && std::isalpha(static_cast<unsigned char>(c))) escape = false;
      if (c == '\r' || c == '\n') width = 0;
      most = std::max(most, width);
    }
    return most;
  };
  tool("plan random --runs 40");
  for (const char* command :
       {"runs", "seek", "predict --at a=1", "trust", "run", "fit kriging", "extremes", "check"}) {
    CAPTURE(command);
    CHECK_MESSAGE(widest(command) <= 60, command);
  }
  const std::string piped = tool("runs").out;
  CHECK(piped.find('\n') > 60);
}

TEST_CASE("where runs fail is shaded where the rule speaks of the axes, and said to be only there") {
  const Tool tool;
  tool.write("study.toml",
             "[study]\nname = \"foams\"\n[[parameter]]\nname = \"a\"\nspan = [0, 4]\n[[parameter]]\nname = "
             "\"b\"\nspan = [0, 1]\n[[parameter]]\nname = \"c\"\nchoices = [\"cork\", \"foam\", \"steel\"]\n"
             "[[response]]\nname = \"y\"\n[solver]\nkind = \"manual\"\n");
  std::string table = "a,b,c,y,status\n";
  for (int i = 0; i < 36; ++i) {
    const bool works = i % 3 == 1;
    table += std::to_string(0.1 * i) + "," + std::to_string(i * 7 % 36 / 36.0) + "," +
             (i % 3 == 0 ? "cork"
              : works    ? "foam"
                         : "steel") +
             "," + (works ? "1" : "") + "," + (works ? "done" : "failed") + "\n";
  }
  tool.write("t.csv", table);
  REQUIRE(tool("import t.csv").status == 0);
  const auto drawn = [&](const std::string& axes) {
    const Answer a = tool("draw failures -o f.svg " + axes);
    REQUIRE_MESSAGE(a.status == 0, a.err);
    return tool.read("f.svg");
  };
  const auto dashed = [](const std::string& svg) {  // outlines of what is shaded
    int count = 0;
    for (std::size_t at = svg.find("fill-opacity = '0.10"); at != std::string::npos;
         at = svg.find("fill-opacity = '0.10", at + 1))
      ++count;
    return count;
  };
  const std::string along = drawn("--x a --y c"), apart = drawn("--x a --y b");
  CHECK(contains(along, "shaded: c != 'foam'"));
  CHECK(dashed(along) == 2);  // cork below it, steel above
  CHECK(!contains(apart, "shaded"));
  CHECK(contains(apart, "c != 'foam'"));
  CHECK(dashed(apart) == 0);
}
