#include <doctest/doctest.h>

#include <cli/solver_study.hpp>

using namespace renth::test;

namespace {

/// A rig with units, a choice, levels and a curve; nothing is run by the tool.
const char* const rig = R"([study]
name = "rig"
[[parameter]]
name = "radius"
unit = "m"
span = [1, 9]
[[parameter]]
name = "fins"
levels = [0, 2, 4]
[[parameter]]
name = "hull"
choices = ["steel", "glass fibre"]
[[axis]]
name = "period"
points = [5, 7.5]
[[response]]
name = "power"
unit = "kW"
[[response]]
name = "absorbed"
along = "period"
)";

Answer import(const Tool& tool, const std::string& text, const std::string& options = "") {
  tool.write("study.toml", rig);
  tool.write("d.csv", text);
  return tool("import d.csv --json " + options);
}

}  // namespace

TEST_CASE("tables come with any of the usual separators, decimal commas, marks and line ends") {
  const std::string utf16 = [] {
    std::string out = "\xff\xfe";
    for (const char c : std::string("radius\tfins\thull\tpower\r\n4,5\t2\tsteel\t12,25\r\n"))
      out += c, out += '\0';
    return out;
  }();
  for (const std::string& text :
       {std::string("radius,fins,hull,power\n4.5,2,steel,12.25\n"),
        std::string("radius;fins;hull;power\r\n4,5;2;steel;12,25\r\n"),
        std::string("\xef\xbb\xbfradius\tfins\thull\tpower\n4,5\t2\tsteel\t12,25"),
        std::string("radius|fins|hull|power\n4.5|2|steel|12.25\n"),
        std::string("radius   fins hull  power\n  4.5   2    steel 12.25  \n"),
        std::string("radius,fins,hull,power\r4.5,2,steel,12.25\r"),
        std::string("\"radius\",\"fins\",\"hull\",\"power\"\n\"4,5\",\"2\",\"steel\",\"12,25\"\n"), utf16}) {
    const Tool tool;
    CAPTURE(text);
    const Answer a = import(tool, text);
    REQUIRE_MESSAGE(a.status == 0, a.err);
    const auto run = runs_of(tool)[0];
    CHECK(run["point"]["radius"] == 4.5);
    CHECK(run["point"]["fins"] == 2);
    CHECK(run["responses"]["power"] == 12.25);
  }
}

TEST_CASE("units in the header or below it are understood, and another unit is refused") {
  const Tool tool;
  const Answer a = import(tool, "radius (m),fins,hull,power [kW]\n4,2,steel,1\n");
  CHECK(a.status == 0);
  const Answer row = import(tool, "radius,fins,hull,power\n(m),-,,kW\n5,2,steel,2\n");
  CHECK(row.status == 0);
  CHECK(has_note(row.json(), "units_row"));
  const Answer other = import(tool, "radius,fins,hull,power\nmm,,,kW\n5,2,steel,2\n");
  CHECK(other.status == 2);
  CHECK(other.err.find("radius is in mm in the file and in m in the study") != std::string::npos);
  CHECK(import(tool, "radius (mm),fins,hull,power\n5000,2,steel,2\n").err.find("in mm in the file") !=
        std::string::npos);
  CHECK(import(tool, "radius (metre),fins,hull,power\n6,2,steel,2\n", "--ignore-units").status == 0);
  CHECK(runs_of(tool).size() == 3);
}

TEST_CASE("missing values by their usual words; thousands are refused rather than guessed") {
  const Tool tool;
  const Answer a = import(
      tool, "radius,fins,hull,power,absorbed[5],absorbed[7.5]\n1,0,steel,NA,3,\n2,0,steel,-,#N/A,nan\n");
  CHECK(a.status == 0);
  CHECK(a.json()["added"] == 1);
  CHECK(a.json()["planned"] == 1);  // all of its responses are missing
  CHECK(runs_of(tool)[0]["responses"]["absorbed"] == nlohmann::json{3, nullptr});
  const Answer thousand = import(tool, "radius,fins,hull,power\n3,0,steel,\"1,234\"\n");
  CHECK(thousand.status == 2);
  CHECK(thousand.err.find("without marks for thousands") != std::string::npos);
}

TEST_CASE("rows find their planned run by settings, as exactly as they were written") {
  const Tool tool;
  tool.write("study.toml", rig);
  tool("plan random --runs 6");
  const auto planned = runs_of(tool);
  std::string rounded = "radius,fins,hull,power\n", exact = rounded;
  for (const auto& r : planned) {
    const std::string rest =
        "," + r["point"]["fins"].dump() + ",\"" + r["point"]["hull"].get<std::string>() + "\",7\n";
    char text[32];
    std::snprintf(text, sizeof text, "%.3f", r["point"]["radius"].get<double>());
    rounded += text + rest;
    exact += r["point"]["radius"].dump() + rest;
  }
  const Answer refused = import(tool, rounded);
  CHECK(refused.status == 2);
  CHECK(refused.err.find("6 of 6 rows are refused, nothing was imported") != std::string::npos);
  CHECK(refused.err.find("import with --tolerance 0.005") != std::string::npos);
  CHECK(import(tool, rounded, "--tolerance 0.001").json()["filled"] == 6);
  CHECK(runs_of(tool)[0]["point"] == planned[0]["point"]);                     // the planned setting stays
  CHECK(import(tool, exact, "--tolerance 0 --repeats").json()["added"] == 6);  // they are taken: repeats
  // Replicates fill in one after the other.
  tool("plan full-factorial --levels 2 --replicates 2 --batch twice --order standard");
  std::string one = "radius,fins,hull,power\n1,0,steel,1\n1,0,steel,2\n";
  CHECK(import(tool, one).json()["filled"] == 2);
}

TEST_CASE(
    "nothing is imported unless all is well, or the good rows with --partial; every refused row is listed") {
  const Tool tool;
  const std::string text =
      "radius,fins,hull,power\n1,0,steel,1\n2,1,steel,2\n3,2,tin,3\nx,2,steel,4\n5,4,steel,five\n";
  const Answer a = import(tool, text);
  CHECK(a.status == 2);
  for (const char* says :
       {"line 3: fins has no level 1", "line 4: unknown hull tin",
        "line 5: radius must be a number, not \"x\"", "line 6: power must be a number, not \"five\""})
    CHECK_MESSAGE(a.err.find(says) != std::string::npos, a.err);
  CHECK(runs_of(tool).empty());
  const Answer part = import(tool, text, "--partial");
  CHECK(part.status == 1);
  CHECK(part.json()["added"] == 1);
  CHECK(part.json()["refused"].size() == 4);
  CHECK(part.json()["refused"][0]["line"] == 3);
  CHECK(runs_of(tool).size() == 1);
}

TEST_CASE("what is exported, as CSV or JSON, is imported bit for bit, with its batches, uses and reasons") {
  const Tool tool;
  tool.write("study.toml", rig);
  tool("plan sobol --runs 5 --batch first");
  tool("plan random --runs 2 --use check --batch second");
  std::string text = "id,power,absorbed[5],absorbed[7.5]\n";
  for (int id = 1; id <= 6; ++id)
    text += std::to_string(id) + "," + std::to_string(id) + ".1234567890123456789,1e-300," +
            (id == 2 ? "" : "0.1") + "\n";
  REQUIRE(import(tool, text).status == 0);
  tool("set-aside 3 --why 'sensor; broke, \"again\"'");
  tool("set-aside 4 --why drift --response power");
  for (const std::string file : {"all.csv", "all.json"}) {
    CAPTURE(file);
    REQUIRE(tool("runs --export " + file).status == 0);
    const Tool fresh;
    fresh.write("study.toml", rig);
    std::filesystem::copy(tool.folder / file, fresh.folder / file);
    const Answer a = fresh("import " + file + " --json");
    REQUIRE_MESSAGE(a.status == 0, a.err);
    CHECK(a.json()["batches"] == nlohmann::json{"first", "second"});
    CHECK(fresh("runs --json").json()["runs"] == tool("runs --json").json()["runs"]);
    CHECK(fresh("runs --export " + file).status == 0);
    CHECK(fresh.read(file) == tool.read(file));
    CHECK(fresh("import " + file + " --json").json()["unchanged"] == 7);
  }
}

TEST_CASE("filters and sorting reach responses and choices; failures of imported runs are kept") {
  const Tool tool;
  import(tool,
         "radius,fins,hull,power,status,message\n1,0,steel,50,done,\n2,2,steel,30,done,\n3,4,glass "
         "fibre,60,done,\n4,4,steel,,failed,it sank\n");
  CHECK(runs_of(tool, "power > 40 && hull == 'steel'").size() == 1);
  const auto sorted = tool("runs --json --sort -power --where \"status == 'done'\"").json()["runs"];
  CHECK(sorted[0]["responses"]["power"] == 60);
  CHECK(sorted[2]["responses"]["power"] == 30);
  CHECK(runs_of(tool, "status == 'failed'")[0]["message"] == "it sank");
  CHECK(tool("import nowhere.json").status == 2);
  tool.write("bad.json", "{\"runs\": 3}");
  CHECK(tool("import bad.json").err.find("not JSON of runs") != std::string::npos);
}

TEST_CASE("the same table a second time is noticed, unless it is said to be of repeats") {
  const Tool tool;
  const std::string table =
      "radius,fins,hull,power,absorbed[5]\n4.5,2,steel,12.25,1\n4.5,2,steel,12.25,1\n5,4,steel,9,\n";
  CHECK(import(tool, table).json()["added"] == 3);
  const Answer again = import(tool, table);
  CHECK(again.status == 0);
  CHECK(again.json()["added"] == 0);
  CHECK(again.json()["unchanged"] == 3);
  CHECK(has_note(again.json(), "imported_before"));
  CHECK(contains(again.out, "runs 1–3"));
  CHECK(runs_of(tool).size() == 3);
  // More rows than before: what equals a run may be a repeat, and is told.
  const Answer more = import(tool, table + "6,4,steel,7,2\n");
  CHECK(more.json()["added"] == 4);
  CHECK(has_note(more.json(), "equal_rows"));
  const Answer repeats = import(tool, table, "--repeats");
  CHECK(repeats.json()["added"] == 3);
  CHECK_FALSE(has_note(repeats.json(), "imported_before"));
  // Other values at the same settings are repeats in any case.
  CHECK(import(tool, "radius,fins,hull,power\n4.5,2,steel,12.5\n5,4,steel,9.5\n").json()["added"] == 2);
}

TEST_CASE("ten thousand rows match ten thousand planned runs in seconds") {
  const Tool tool;
  tool.write("study.toml", rig);
  tool("plan random --runs 10000");
  tool("runs --export all.csv");
  // The file loses its numbers and gains results: everything is found by settings.
  tool.shell("awk -F, 'NR == 1 { print; next } { $1 = \"\"; $10 = NR; print }' OFS=, all.csv > filled.csv");
  const Answer a = tool("import filled.csv --json");
  REQUIRE_MESSAGE(a.status == 0, a.err);
  CHECK(a.json()["filled"] == 10000);
  CHECK(runs_of(tool, "status == 'planned'").empty());
}
