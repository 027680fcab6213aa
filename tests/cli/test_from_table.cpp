#include <doctest/doctest.h>
#include <fmt/format.h>

#include <cmath>

#include "tool.hpp"

using namespace renth::test;

namespace {

/// A composite plan of whole-number settings as people keep it: units in the titles, decimal commas.
const char* const composite =
    "Temperature (°C);Pressure [bar];Yield (%)\n150;10;76,1\n190;10;77\n150;20;78\n190;20;79,5\n142;15;75,6\n"
    "198;15;78,4\n170;8;77\n170;22;78,5\n170;15;79,9\n170;15;80,3\n170;15;80\n170;15;79,7\n";

std::string study_of(const Tool& tool, const std::string& table, const std::string& responses) {
  tool.shell("rm -rf made");
  tool.write("t.csv", table);
  const Answer made = tool("init made --from t.csv --responses " + responses);
  CHECK_MESSAGE(made.status == 0, made.err);
  CHECK(tool("-s made check").status == 0);
  return tool.read("made/study.toml");
}

}  // namespace

TEST_CASE("a composite plan in a table gives spans from its corners, whatever whole numbers it is made of") {
  const Tool tool;
  const std::string study = study_of(tool, composite, "Yield");
  CHECK(contains(study, "name = \"Temperature\"\nunit = \"°C\"\nspan = [150, 190]\n"));
  CHECK(contains(study, "span = [10, 20]"));
  CHECK(contains(study, "repeatable = false"));
  const auto fit = tool("-s made fit polynomial --json").json()["models"][0];
  CHECK(fit["runs"] == 12);
  // Least squares by hand: in orthogonal columns a coefficient is Σxy/Σx².
  const double a = 28 / 20.0;  // (198 − 170)/20 coded, of both axes: 7/5
  const double sum = -76.1 + 77 - 78 + 79.5 + a * (78.4 - 75.6);
  for (const auto& term : fit["terms"])
    if (term["term"] == "Temperature")
      CHECK(term["coefficient"].get<double>() == doctest::Approx(sum / (4 + 2 * a * a)).epsilon(1e-9));
}

TEST_CASE(
    "a face-centred and a Box–Behnken plan of whole numbers vary continuously; a factorial's levels stay") {
  const Tool tool;
  std::string face = "a,b,y\n", behnken = "a,b,c,y\n", factorial = "a,b,c,y\n";
  for (const int a : {-1, 0, 1})
    for (const int b : {-1, 0, 1}) {
      face += fmt::format("{},{},{}\n", 20 + 10 * a, 5 + b, a + b * b);
      for (const int c : {-1, 0, 1}) {
        const std::string row = fmt::format("{},{},{},{}\n", 20 + 10 * a, 5 + b, 100 + 50 * c, a + b * b + c);
        if (std::abs(a) + std::abs(b) + std::abs(c) == 2) behnken += row;
        factorial += row;
      }
    }
  const std::string centres = "20,5,100,0\n20,5,100,0.1\n";
  CHECK(contains(study_of(tool, face, "y"), "span = [10, 30]"));
  const std::string made = study_of(tool, behnken + centres, "y");
  CHECK(contains(made, "span = [10, 30]"));
  CHECK(contains(made, "span = [4, 6]"));
  CHECK(contains(made, "span = [50, 150]"));
  CHECK(contains(study_of(tool, factorial, "y"), "levels = [10, 20, 30]"));
  // Two plans, one for each hull; the count of fins is no part of it.
  const std::string twice = study_of(
      tool,
      [&] {
        std::string out = "hull,fins,a,b,y\n";
        for (const char* hull : {"steel,0", "composite,4", "steel,2"})
          for (const char* row :
               {"1,1,5", "9,1,4", "1,9,3", "9,9,2", "-1,5,6", "11,5,6", "5,-1,7", "5,11,7", "5,5,1"})
            out += fmt::format("{},{}\n", hull, row);
        return out;
      }(),
      "y");
  CHECK(contains(twice, "name = \"a\"\nspan = [1, 9]"));
  CHECK(contains(twice, "levels = [0, 2, 4]"));
}

TEST_CASE("a unit in a title or in a row of its own means the same to init, import, predict and plan") {
  const Tool tool;
  const std::string row_of_units =
      "Float radius,draft,power\n(m),m,kW\n3,1,10\n4,2,12\n5,1.5,15\n3.5,2.5,11\n";
  CHECK(contains(study_of(tool, row_of_units, "power"),
                 "name = \"Float_radius\"\nlabel = \"Float radius\"\nunit = \"m\"\nspan = [3, 5]"));
  CHECK(study_of(tool, "Float radius (m),draft [m],power (kW)\n3,1,10\n4,2,12\n5,1.5,15\n3.5,2.5,11\n",
                 "power") == tool.read("made/study.toml"));
  REQUIRE(tool("-s made fit polynomial --model linear").status <= 1);
  const auto asked = [&](const std::string& table) {
    tool.write("p.csv", table);
    return tool("-s made predict --points p.csv --json");
  };
  const auto plain = asked("Float_radius,draft\n4,1.5\n").json();
  CHECK(plain["predictions"].size() == 1);
  CHECK(asked("Float_radius (m),draft [m]\n4,1.5\n").json() == plain);
  CHECK(asked("Float_radius,draft\nm,m\n4,1.5\n").json() == plain);
  for (const char* other : {"Float_radius (mm),draft\n4000,1.5\n", "Float_radius,draft\nmm,m\n4000,1.5\n"}) {
    const Answer refused = asked(other);
    CHECK(refused.status == 2);
    CHECK(contains(refused.err, "Float_radius is in mm in the file and in m in the study"));
  }
  CHECK(contains(asked("draft,draft (m)\n1,1\n").err, "two columns mean draft"));
  tool.write("c.csv", "Float_radius [m],draft\n3,1\n5,1\n3,2.5\n5,2.5\n4,2\n");
  CHECK(tool("-s made plan optimal --model linear --runs 4 --candidates c.csv").status == 0);
  tool.write("more.csv", "Float_radius,draft,power\nm,mm,kW\n4,1500,13\n");
  CHECK(contains(tool("-s made import more.csv").err, "draft is in mm in the file and in m in the study"));
}

TEST_CASE("settings as they were printed are the planned run") {
  const Tool tool;
  std::string study = formula_study;
  study = study.substr(0, study.find("[solver]")) + "[solver]\nkind = \"manual\"\n";
  tool.write("study.toml", study);
  REQUIRE(tool("plan latin-hypercube --runs 12").status == 0);
  // The columns a, b and c of the table that `runs` prints.
  const std::string printed = tool("runs").out;
  std::istringstream lines(printed);
  std::string table = "a,b,c,y,z\n";
  int rows = 0;
  for (std::string line; std::getline(lines, line);) {
    std::istringstream words(line);
    std::string id, batch, status, a, b, c;
    if (words >> id >> batch >> status >> a >> b >> c && status == "planned")
      table += fmt::format("{},{},{},{},1\n", a, b, c, ++rows);
  }
  REQUIRE(rows == 12);
  tool.write("t.csv", table);
  const auto import = tool("import t.csv --json").json();
  CHECK(import["filled"] == 12);
  CHECK(tool("runs --json --where \"status == 'done'\"").json()["runs"].size() == 12);

  // A confirmed setting as well, from what confirm printed; one that is rounded more is asked about.
  REQUIRE(tool("fit polynomial --model linear").status <= 1);
  const std::string confirm = tool("confirm --at a=1.23456789,b=0.3,c=green").out;
  const std::size_t at = confirm.find(" at a=") + 6;
  const std::string shown = confirm.substr(at, confirm.find(',', at) - at);
  CHECK(shown == "1.23457");
  tool.write("t.csv", "a,b,c,y,z\n1.23,0.3,green,5,1\n");
  CHECK(contains(tool("import t.csv").err, "if it is that run, import with --tolerance 0.005"));
  tool.write("t.csv", "a,b,c,y,z\n" + shown + ",0.3,green,5,1\n");
  CHECK(tool("import t.csv --json").json()["filled"] == 1);
  CHECK(tool("confirm --at a=1.23456789,b=0.3,c=green --json")
            .json()["proposals"][0]["responses"]["y"]["computed"] == 5);
}
