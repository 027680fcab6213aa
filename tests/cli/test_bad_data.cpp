#include <doctest/doctest.h>

#include <cli/tool.hpp>
#include <cmath>

using namespace renth::test;

namespace {

/// A manual study of two parameters and one response, with these rows.
Answer import_rows(const Tool& tool, const std::string& rows,
                   const std::string& solver = "kind = \"manual\"\n") {
  tool.write("study.toml",
             "[study]\nname = \"s\"\n[[parameter]]\nname = \"a\"\nspan = [0, 10]\n[[parameter]]\nname = "
             "\"b\"\nspan = [0, 10]\n[[response]]\nname = \"y\"\n[solver]\n" +
                 solver);
  tool.write("d.csv", "a,b,y\n" + rows);
  return tool("import d.csv");
}

std::string grid(const std::function<double(double, double)>& f) {
  std::string rows;
  for (int i = 0; i < 25; ++i) {
    const double a = 2.5 * (i % 5), b = 2.5 * (i / 5);
    char line[100];
    std::snprintf(line, sizeof line, "%g,%g,%.17g\n", a, b, f(a, b));
    rows += line;
  }
  return rows;
}

std::string note(const nlohmann::json& document, const std::string& code) {
  for (const auto& n : document["notes"])
    if (n["code"] == code) return n["text"];
  return "";
}

/// A file system of this size in the folder small.
bool has_small_disk(const Tool& tool, const std::string& size) {
  if (tool.shell("mkdir small && mount -t tmpfs -o size=" + size + " tmpfs small").status == 0) return true;
  MESSAGE("needs the right to mount; not tested here");
  return false;
}

}  // namespace

TEST_CASE("one run, two runs and duplicates give a message or a fit, never a crash") {
  const Tool tool;
  import_rows(tool, "1,1,5\n");
  CHECK(tool("fit").status == 2);
  tool.write("d.csv", "a,b,y\n2,2,6\n");
  tool("import d.csv");
  CHECK(tool("fit").status <= 2);
  tool.write("d.csv", "a,b,y\n2,2,6\n2,2,6\n2,2,6\n");
  CHECK(tool("import d.csv").status == 0);
  const Answer fit = tool("fit kriging --json");
  CHECK(fit.status <= 2);
}

TEST_CASE("a response that never varies is told, and the others are fitted") {
  const Tool tool;
  import_rows(tool, grid([](double, double) { return 4.0; }));
  const Answer only = tool("fit kriging");
  CHECK(only.status == 2);
  CHECK(only.err.find("the same in every run") != std::string::npos);
  std::string study = tool.read("study.toml");
  study.insert(study.find("[solver]"), "[[response]]\nname = \"z\"\n");
  tool.write("study.toml", study);
  std::string rows = "id,z\n";
  for (int i = 1; i <= 25; ++i) rows += std::to_string(i) + "," + std::to_string(i * i) + "\n";
  tool.write("z.csv", rows);
  CHECK(tool("import z.csv --json").json()["filled"] == 25);  // a response that was added later
  const Answer both = tool("fit --json");
  CHECK(both.status == 1);
  const auto models = both.json()["models"];
  CHECK(models[0]["verdict"] == "unfit");  // a constant can be fitted, but not believed
  CHECK(models[0]["quality"]["q2"].is_null());
  CHECK(models[1]["verdict"] != "unfit");
  tool.write("z.csv", "id,z\n3,8\n");
  CHECK(tool("import z.csv").err.find("line 2: run 3 has another z already") != std::string::npos);
}

TEST_CASE("a parameter that never varies is left out of the suggested terms") {
  const Tool tool;
  std::string rows;
  for (int i = 0; i < 12; ++i)
    rows += std::to_string(i % 11) + ",5," + std::to_string(3 + 2 * (i % 11)) + "\n";
  import_rows(tool, rows);
  const Answer fit = tool("fit polynomial --json");
  REQUIRE(fit.status <= 1);
  const auto terms = fit.json()["models"][0]["terms"];
  for (const auto& t : terms) CHECK(t["term"].get<std::string>().find('b') == std::string::npos);
  const Answer asked = tool("fit polynomial --model linear");
  CHECK(asked.status == 2);
  CHECK(asked.err.find("cannot tell some terms apart: b with") != std::string::npos);
}

TEST_CASE("collinear settings and n = p are named and judged") {
  const Tool tool;
  std::string rows;
  for (int i = 0; i <= 10; ++i)
    rows += std::to_string(i) + "," + std::to_string(i) + "," + std::to_string(i * i) + "\n";
  import_rows(tool, rows);
  CHECK(tool("fit polynomial --model linear").err.find("b with a") != std::string::npos);
  const Tool second;
  import_rows(second, "0,0,1\n10,0,2\n0,10,3\n");
  const Answer saturated = second("fit polynomial --model linear --json");
  CHECK(saturated.status == 1);
  const auto model = saturated.json()["models"][0];
  CHECK(model["verdict"] == "unfit");
  CHECK(model["terms"][0]["std_error"].is_null());
  CHECK(model["quality"]["r2"].get<double>() == doctest::Approx(1));
  const Answer trust = second("trust");
  CHECK(trust.status == 1);
  CHECK(trust.out.find("R² = 1 means nothing") != std::string::npos);
  const auto p = second("predict --json").json()["predictions"][0]["responses"]["y"];
  CHECK(p["mean"].is_number());
  CHECK(p["prediction"].is_null());
}

TEST_CASE("rows that cannot be are refused by line with the reason") {
  for (const auto& [rows, says] :
       std::map<std::string, std::string>{{"1,2,abc\n", "line 2: y must be a number, not \"abc\""},
                                          {"1,,3\n", "line 2: there is no value for b"},
                                          {"1,2,3\n1,2\n", "d.csv:3"},
                                          {"nan,2,3\n", "line 2"},
                                          {"1,2,inf\n", "line 2"},
                                          {"", "line"}}) {
    CAPTURE(rows);
    const Tool tool;
    const Answer a = import_rows(tool, rows);
    if (rows.empty()) {
      CHECK(a.status == 0);  // a header and no row imports nothing
      continue;
    }
    CHECK(a.status == 2);
    CHECK_MESSAGE(a.err.find(says) != std::string::npos, a.err);
    CHECK(tool("runs --json").json()["runs"].empty());
  }
}

TEST_CASE("values between levels and unknown choices are refused, values outside the span are kept") {
  const Tool tool;
  tool.write("study.toml",
             "[study]\nname = \"s\"\n[[parameter]]\nname = \"n\"\nlevels = [0, 2, 4]\n[[parameter]]\nname = "
             "\"hull\"\nchoices = [\"steel\", \"wood\"]\n[[parameter]]\nname = \"a\"\nspan = [0, "
             "1]\n[[response]]\nname = \"y\"\n");
  tool.write("d.csv", "n,hull,a,y\n1,steel,0.5,1\n2,tin,0.5,1\n2,wood,1.7,1\n");
  const Answer a = tool("import d.csv");
  CHECK(a.status == 2);
  CHECK(a.err.find("2 of 3 rows") != std::string::npos);
  CHECK(a.err.find("line 2: n has no level 1") != std::string::npos);
  CHECK(a.err.find("line 3: unknown hull tin") != std::string::npos);
  tool.write("d.csv", "n,hull,a,y\n2,wood,1.7,1\n");
  CHECK(tool("import d.csv").status == 0);
  CHECK(note(tool("check --json").json(), "outside_span").find("a lies outside") != std::string::npos);
}

TEST_CASE("columns are mapped by name, and what is not known is said") {
  const Tool tool;
  import_rows(tool, "");
  tool.write("e.csv", "Draft (mm),b,y,remark\n1,2,3,fine\n");
  CHECK(tool("import e.csv").err.find("no column for the parameter a") != std::string::npos);
  const Answer a = tool("import e.csv --map 'Draft (mm)=a' --json");
  REQUIRE(a.status == 0);
  CHECK(note(a.json(), "ignored_columns").find("remark") != std::string::npos);
  CHECK(tool("runs --json").json()["runs"][0]["point"]["a"] == 1);
  CHECK(tool("import e.csv --map 'Draught=a'").status == 2);
  CHECK(tool("import e.csv --map 'Draft (mm)=q'").status == 2);
}

TEST_CASE("a large offset and tiny units change nothing but the numbers") {
  const auto q2 = [](double scale, double offset) {
    const Tool tool;
    import_rows(tool, grid([=](double a, double b) { return offset + scale * (std::sin(a) + 0.2 * b); }));
    return tool("fit kriging --json").json()["models"][0]["quality"]["q2"].get<double>();
  };
  const double plain = q2(1, 0);
  CHECK(q2(1e-12, 0) == doctest::Approx(plain).epsilon(1e-3));
  CHECK(q2(1e12, 0) == doctest::Approx(plain).epsilon(1e-3));
  CHECK(q2(1, 1e9) == doctest::Approx(plain).epsilon(0.02));
}

TEST_CASE("a table of three hundred columns is read, and fitted where the runs allow it") {
  const Tool tool;
  std::string header, rows;
  for (int j = 0; j < 299; ++j) header += "p" + std::to_string(j) + ",";
  for (int i = 0; i < 40; ++i) {
    for (int j = 0; j < 299; ++j) rows += std::to_string((i * 7919 + j * 104729) % 1000 / 1000.0) + ",";
    rows += std::to_string(i) + "\n";
  }
  tool.write("wide.csv", header + "y\n" + rows);
  CHECK(tool("init wide --from wide.csv --responses y").status == 0);
  const Answer check = tool("-s wide check --json");
  CHECK(check.json()["parameters"].size() == 299);
  CHECK(tool("-s wide fit polynomial --model '1 + p0 + p1' --json").status <= 1);
}

TEST_CASE("a solver that is not there, and a study folder that cannot be written") {
  const Tool tool;
  import_rows(tool, "",
              "kind = \"process\"\ncommand = [\"no-such-solver\", \"{input}\"]\noutput = \"json\"\n");
  tool("plan random --runs 2");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 3);
  CHECK(a.json()["failures"][0]["message"].get<std::string>().find("could not be started") !=
        std::string::npos);
  CHECK(tool("-s /nowhere/at/all check").status == 2);
}

TEST_CASE("a full disk stops with 4 and loses nothing") {
  const Tool tool;
  if (!has_small_disk(tool, "600k")) return;
  tool.write("small/study.toml", formula_study);
  CHECK(tool("-s small plan random --runs 50").status == 0);
  tool.shell("dd if=/dev/zero of=small/filler bs=1k count=10000");
  const Answer full = tool("-s small plan random --runs 2000");
  CHECK(full.status == 4);
  CHECK_MESSAGE(full.err.find("disk") != std::string::npos, full.err);
  tool.shell("rm small/filler");
  CHECK(tool("-s small runs --json").json()["runs"].size() == 50);
  CHECK(tool("-s small run -q").status == 0);
  tool.shell("umount small");
}

TEST_CASE("a file that does not fit on the disk leaves nothing behind, and what was there stays") {
  const Tool tool;
  if (!has_small_disk(tool, "32k")) return;
  tool.write("study.toml", formula_study);
  REQUIRE(tool("plan random --runs 400").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit polynomial").status == 0);
  tool.shell("cp study.toml small/old.csv");
  std::string points = "a\n";
  for (int i = 0; i < 1000; ++i) points += "1.5\n";
  tool.write("points.csv", points);
  for (const char* command :
       {"runs --export small/runs.csv", "runs --export small/runs.json", "runs --export small/old.csv",
        "predict --points points.csv -o small/p.csv", "export model -o small/m.json",
        "draw slices -o small/s.svg", "draw slices -o small/s.png"}) {
    const Answer full = tool(command);
    CHECK_MESSAGE(full.status == 4, command, "\n", full.err);
    CHECK_MESSAGE(contains(full.err, "the disk"), full.err);
    CHECK(tool.shell("ls -A small").out == "old.csv\n");
  }
  CHECK(tool.shell("cmp study.toml small/old.csv").status == 0);
  tool.shell("umount small");
}
