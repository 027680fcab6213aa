#include <doctest/doctest.h>

#include <filesystem>
#include <fstream>
#include <renth/study/study.hpp>
#include <set>
#include <sstream>

using namespace renth;

namespace {

const char* const everything = R"(
[study]
name = "heaving buoy"
seed = 20261
[[parameter]]
name = "radius"
label = "float radius"
unit = "m"
span = [3.0, 8.0]
nominal = 5.0
scatter = { normal = 0.05 }
[[parameter]]
name = "draft"
span = [1.0, 6.0]
step = 0.25
scatter = { uniform = "20%" }
[[parameter]]
name = "stiffness"
nominal = 10.0
plus_minus = "30%"
before = 12.0
[[parameter]]
name = "plate"
span = [4.0, 12.0]
sizes = [4, 5, 6, 8, 10, 12]
scatter = { lognormal = "5%" }
[[parameter]]
name = "fins"
levels = [0, 2, 4, 8]
[[parameter]]
name = "hull"
choices = ["steel", "composite"]
[[parameter]]
name = "depth"
fixed = 50.0
[[limit]]
keep = "draft <= 2.2 * radius"
[[limit]]
keep = "hull == 'steel' || draft * depth < 250"
[[axis]]
name = "period"
unit = "s"
points = [5, 6, 7, 8, 9, 10, 12]
[[response]]
name = "power"
unit = "kW"
goal = "maximise"
accept = { min = 40.0 }
[[response]]
name = "load"
goal = { target = 12.5 }
weight = 2
[[response]]
name = "mass"
[[response]]
name = "absorbed"
along = "period"
[[response]]
name = "power_per_tonne"
derive = "power / mass"
[[response]]
name = "bandwidth"
derive = "width(absorbed, 30) + at(absorbed, radius + 2) * power_per_tonne"
[[scenario]]
name = "sheltered"
goals = { power = "maximise", load = { target = 3 } }
keep = ["mass <= 120"]
hold = { hull = "steel" }
[solver]
kind = "process"
command = ["buoy-solver", "{input}", "{output}"]
output = "json"
per = "period"
repeatable = false
timeout = "10 min"
retries = 1
jobs = 2
)";

}  // namespace

TEST_CASE("everything that the file can say is understood") {
  const Study s = parse_study(everything, ".");
  CHECK(s.name == "heaving buoy");
  CHECK(s.seed == 20261);
  REQUIRE(s.space.size() == 6);
  CHECK(s.space[0].title() == "float radius");
  CHECK(s.space[0].scatter.size == 0.05);
  CHECK(s.space[1].settable_count() == 21);
  CHECK((s.space[1].scatter.relative && s.space[1].scatter.size == doctest::Approx(0.2)));
  CHECK((s.space[2].low == doctest::Approx(7) && s.space[2].high == doctest::Approx(13)));
  CHECK(s.space[3].nominal == 8);  // the size nearest the middle
  CHECK(s.space[4].kind == Parameter::Kind::levels);
  CHECK(s.fixed.size() == 1);
  CHECK(std::get<double>(s.before.at("stiffness")) == 12);
  CHECK(s.space.limits().size() == 2);
  CHECK(s.responses[1].goal == Goal::Aim::target);
  CHECK(s.responses[3].axis == 0);
  CHECK(s.scenarios[0].goals.size() == 2);
  CHECK(s.solver.timeout == 600);
  CHECK(s.noisy);
  // Limits know fixed parameters and choices: composite, 6 m · 50 m ≥ 250.
  const Eigen::VectorXd p = s.point({{"draft", 6.0}, {"hull", std::string("composite")}}, "test");
  CHECK_FALSE(s.space.allows(p));
  CHECK(s.space.allows(s.point({{"draft", 6.0}}, "test")));
  const Settings back = s.settings(p);
  CHECK(std::get<std::string>(back.at("hull")) == "composite");
  CHECK(std::get<double>(back.at("depth")) == 50);
}

TEST_CASE("settings are refused where they mean nothing") {
  const Study s = parse_study(everything, ".");
  CHECK_THROWS_WITH_AS(s.point({{"speed", 1.0}}, "x"), doctest::Contains("unknown parameter speed"), Error);
  CHECK_THROWS_WITH_AS(s.point({{"fins", 3.0}}, "x"), doctest::Contains("no level 3"), Error);
  CHECK_THROWS_WITH_AS(s.point({{"hull", std::string("tin")}}, "x"), doctest::Contains("steel, composite"),
                       Error);
  CHECK_THROWS_WITH_AS(s.point({{"radius", std::string("wide")}}, "x"), doctest::Contains("must be a number"),
                       Error);
  CHECK_THROWS_WITH_AS(s.point_of_run({{"radius", 5.0}}, "x"), doctest::Contains("no value for draft"),
                       Error);
}

TEST_CASE("each bad study file gets its own right message") {
  int files = 0;
  std::set<std::string> messages;
  for (const auto& entry :
       std::filesystem::directory_iterator(std::filesystem::path(RENTH_TESTS) / "studies" / "bad")) {
    CAPTURE(entry.path().filename().string());
    std::ifstream in(entry.path());
    std::string first;
    std::getline(in, first);
    std::ostringstream rest;
    rest << '\n' << in.rdbuf();  // lines keep their numbers
    REQUIRE(first.rfind("# expect ", 0) == 0);
    // "# expect LINE: text": what the first message must say, and where.
    const std::size_t colon = first.find(": ");
    const int line = std::stoi(first.substr(9, colon - 9));
    const std::string text = first.substr(colon + 2);
    try {
      parse_study(rest.str(), ".");
      FAIL("accepted");
    } catch (const StudyError& e) {
      const StudyFault& p = e.faults().front();
      const std::string whole = e.lines().front();
      CHECK_MESSAGE(whole.find(text) != std::string::npos, whole);
      CHECK(p.line == line);
      CHECK_FALSE(p.remedy.empty());
      CHECK(e.faults().size() == 1);
      messages.insert(p.key + p.text);
    }
    ++files;
  }
  CHECK(files >= 30);
  CHECK(messages.size() == static_cast<std::size_t>(files));
}

TEST_CASE("all that is wrong is told at once, in the order of the file") {
  try {
    parse_study(
        "[study]\nname = 3\nsede = 1\n[[parameter]]\nname = \"a b\"\nspan = [2, 1]\n[[response]]\ngoal = "
        "\"up\"\n",
        ".");
    FAIL("accepted");
  } catch (const StudyError& e) {
    REQUIRE(e.faults().size() == 6);
    CHECK(e.lines()[0].rfind("must be a text in quotes: study.toml:2:8 study.name: ", 0) == 0);
    CHECK(e.lines()[1].find("did you mean seed?") != std::string::npos);
    for (std::size_t i = 1; i < 6; ++i) CHECK(e.faults()[i].line >= e.faults()[i - 1].line);
  }
}

TEST_CASE("the examples in docs/running.md are understood as they stand") {
  std::ifstream in(std::filesystem::path(RENTH_TESTS) / ".." / "docs" / "running.md");
  std::string base =
      "[study]\nname = \"s\"\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n[[axis]]\nname = \"t\"\npoints = "
      "[1, 2]\n";
  for (const char* name : {"power", "load", "settled", "third", "heave", "mass", "draught"})
    base += "[[response]]\nname = \"" + std::string(name) + "\"\n";
  for (const char* name : {"absorbed", "drift"})
    base += "[[response]]\nname = \"" + std::string(name) + "\"\nalong = \"t\"\n";
  int blocks = 0;
  std::string block;
  bool inside = false;
  for (std::string line; std::getline(in, line);) {
    if (line == "```toml") {
      inside = true;
      block.clear();
    } else if (line == "```" && inside) {
      inside = false;
      const bool whole = block.rfind("[solver]\n", 0) == 0;
      const Study study =
          parse_study(base + (whole ? "" : "[solver]\nkind = \"process\"\ncommand = [\"x\"]\n") + block, ".");
      CHECK(study.solver.sources.size() == 9);
      ++blocks;
    } else if (inside) {
      block += line + "\n";
    }
  }
  CHECK(blocks == 2);
}

TEST_CASE("hundreds of parameters are no trouble") {
  std::string text = "[study]\nname = \"wide\"\n";
  for (int i = 0; i < 300; ++i)
    text += "[[parameter]]\nname = \"p" + std::to_string(i) + "\"\nspan = [0, 1]\n";
  CHECK(parse_study(text, ".").space.size() == 300);
}

TEST_CASE("an axis without points is told, and not followed into what uses it") {
  for (const char* points : {"[]", "[1]", "[2, 1]", "\"1\""}) {
    CAPTURE(points);
    try {
      parse_study(
          std::string("[study]\nname = \"s\"\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n[[axis]]\nname = "
                      "\"t\"\npoints = ") +
              points +
              "\n[[response]]\nname = \"c\"\nalong = \"t\"\n[[response]]\nname = \"y\"\nderive = "
              "\"max(c)\"\n",
          ".");
      FAIL("accepted");
    } catch (const StudyError& e) {
      REQUIRE(e.faults().size() == 1);
      CHECK(e.faults()[0].line == 8);
    }
  }
}
