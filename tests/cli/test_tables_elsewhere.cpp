// Tables in the forms of other programs: spreadsheets in and out, Markdown, LaTeX, CSV, every figure at once.
#include <doctest/doctest.h>

#include <cli/solver_study.hpp>

using namespace renth::test;
using nlohmann::json;

namespace {

void formula_fitted(const Tool& tool) {
  std::string study = formula_study;
  const std::string span = "span = [0, 4]\n";
  tool.write("study.toml",
             study.replace(study.find(span), span.size(), span + "scatter = { normal = 0.1 }\n"));
  REQUIRE(tool("plan latin-hypercube --runs 30").status == 0);
  REQUIRE(tool("plan random --runs 5 --use check").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit polynomial --model quadratic --json").status <= 1);
}

}  // namespace

TEST_CASE("runs go into a spreadsheet and come back to sixteen digits") {
  const Tool tool;
  formula_fitted(tool);
  CHECK(contains(tool("runs --export runs.xlsx").out, "Wrote 35 runs"));
  const json before = runs_of(tool);
  const std::string one = "other/study.toml";
  tool.write(one, formula_study);
  const json first = tool("-s other import runs.xlsx --json").json();
  CHECK(first["added"] == 30);
  CHECK(has_note(first, "other_sheets"));
  CHECK(tool("-s other import runs.xlsx --sheet check --use check --json").json()["added"] == 5);
  const json after = tool("-s other runs --json").json()["runs"];
  REQUIRE(after.size() == before.size());
  for (std::size_t i = 0; i < after.size(); ++i) {
    for (const char* part : {"point", "responses"})
      for (const auto& [key, value] : before[i][part].items())
        if (value.is_number())
          CHECK(after[i][part][key].get<double>() == doctest::Approx(value.get<double>()).epsilon(1e-15));
        else
          CHECK(after[i][part][key] == value);
    CHECK(after[i]["use"] == before[i]["use"]);
  }
  CHECK(contains(tool("-s other import runs.xlsx --sheet chekc").err, "did you mean check"));
  // Standard input is a table too.
  REQUIRE(tool("runs --export runs.csv").status == 0);
  tool.write("third/study.toml", formula_study);
  CHECK(tool.shell(RENTH_BINARY " -s third import - --json < runs.csv").json()["added"] == 35);
}

TEST_CASE("what is no spreadsheet is refused") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  tool.write("empty.xlsx", "");
  tool.write("text.xlsx", "a,b,c\n1,2,red\n");
  tool.write("zip.xlsx", std::string("PK\x05\x06", 4) + std::string(18, '\0'));
  for (const char* file : {"empty.xlsx", "text.xlsx", "zip.xlsx", "none.xlsx"}) {
    CAPTURE(file);
    const Answer a = tool(std::string("import ") + file);
    CHECK(a.status == 2);
    CHECK(contains(a.err, file));
  }
  CHECK(contains(tool("import study.toml --sheet x").err, "has no sheets"));
}

TEST_CASE("tables as Markdown, LaTeX and CSV") {
  const Tool tool;
  formula_fitted(tool);
  REQUIRE(tool("seek --maximise y --json").status == 0);
  for (const char* verb : {"runs", "fit polynomial --model quadratic", "rank", "seek --maximise y",
                           "tolerance --at a=1,b=0,c=red", "extremes"}) {
    CAPTURE(verb);
    const Answer markdown = tool(std::string(verb) + " --format md"),
                 latex = tool(std::string(verb) + " --format latex"),
                 csv = tool(std::string(verb) + " --format csv");
    CHECK(markdown.status <= 1);
    CHECK(contains(markdown.out, "\n|"));
    CHECK(contains(markdown.out, "---"));
    CHECK(contains(latex.out, "\\begin{tabular}"));
    CHECK(contains(latex.out, "\\bottomrule"));
    CHECK(contains(csv.out, ","));
    CHECK_FALSE(contains(csv.out, "|"));
  }
  // Every row of a table has as many cells as its header.
  std::istringstream lines(tool("runs --format md").out);
  std::size_t bars = 0, rows = 0;
  for (std::string line; std::getline(lines, line);)
    if (!line.empty() && line[0] == '|') {
      const std::size_t here = std::size_t(std::count(line.begin(), line.end(), '|'));
      if (bars == 0) bars = here;
      CHECK(here == bars);
      ++rows;
    }
  CHECK(rows == 35 + 2);
  CHECK(contains(tool("rank --format excel").err, "excel"));
}

TEST_CASE("every figure of a study at once") {
  const Tool tool;
  formula_fitted(tool);
  const json all = tool("draw all -o figures --json").json();
  CHECK(all["figures"].size() > 15);
  for (const json& figure : all["figures"]) {
    CAPTURE(figure.dump());
    CHECK(contains(tool.read(figure["file"]), "<svg"));
  }
  for (const json& one : all["left_out"]) CHECK(one["why"].get<std::string>().size() > 5);
  CHECK(tool("draw all -o study.toml").status == 4);
}
