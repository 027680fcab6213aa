// The report: valid HTML that needs no script and asks for nothing, in order, the same for the same study; on
// A4.
#include <doctest/doctest.h>

#include <cli/solver_study.hpp>
#include <cstdlib>

using namespace renth::test;
using nlohmann::json;

namespace {

/// What a validator says of a report: nothing.
void check_valid(const Tool& tool, const std::string& file) {
  const Answer a = tool.shell("tidy -q -errors --mute-id yes --drop-empty-elements no " + file);
  CAPTURE(a.err);
  CHECK(a.status == 0);
}

/// The levels of the headings, in order.
std::vector<int> headings(const std::string& html) {
  std::vector<int> out;
  for (std::size_t at = 0; (at = html.find("<h", at)) != std::string::npos; ++at)
    if (html[at + 2] >= '1' && html[at + 2] <= '6') out.push_back(html[at + 2] - '0');
  return out;
}

void check_report(const Tool& tool, const std::string& file) {
  check_valid(tool, file);
  const std::string html = tool.read(file);
  CHECK(html.size() < 10'000'000);
  CHECK_FALSE(contains(html, "<script"));
  CHECK_FALSE(contains(html, "http://"));
  CHECK_FALSE(contains(html, "https://"));
  // A level deeper at a time, one title.
  int before = 0, titles = 0;
  for (const int level : headings(html)) {
    CHECK(level <= before + 1);
    before = level;
    titles += level == 1;
  }
  CHECK(titles == 1);
  // Every picture says to those who do not see it what it says.
  for (std::size_t at = 0; (at = html.find("<img", at)) != std::string::npos; ++at) {
    const std::string tag = html.substr(at, html.find('>', at) - at);
    const std::size_t alt = tag.find("alt=\"");
    REQUIRE(alt != std::string::npos);
    CHECK(tag[alt + 5] != '"');
  }
}

void worked_on(const Tool& tool) {
  tool.write("study.toml", formula_study);
  REQUIRE(tool("plan latin-hypercube --runs 30").status == 0);
  REQUIRE(tool("plan random --runs 8 --use check").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit --json").status <= 1);
  REQUIRE(tool("rank --json").status <= 1);
  REQUIRE(tool("seek --front --points 12 --json").status <= 1);
  REQUIRE(tool("confirm --json").status <= 1);
  REQUIRE(tool("tolerance --proposal 1 --set a=normal:0.1 --json").status <= 1);
}

}  // namespace

TEST_CASE("the report of a study: what was asked, found and done, valid and the same every time") {
  const Tool tool;
  worked_on(tool);
  const Answer written = tool("report -o r.html --author \"A. Analyst\" --title \"A <b>bold</b> title\"");
  CAPTURE(written.err);
  REQUIRE(written.status <= 1);
  check_report(tool, "r.html");
  const std::string html = tool.read("r.html");
  for (const char* words :
       {"What was asked, and what was found", "The study", "The plan", "The runs", "The surrogates",
        "What matters", "How responses move", "Settings found", "On the solver", "In production", "Appendix",
        "A. Analyst", "A &lt;b&gt;bold&lt;/b&gt; title", "39 runs done", "as large as possible",
        "renth seek --front --points 12", "the trade-off", ">latin-hypercube<"})
    CHECK_MESSAGE(contains(html, words), words);
  // Half a page first: what was found stands before the plan and the tables.
  CHECK(html.find("The best setting found") < html.find("parameters</caption>"));
  // The same study, the same bytes, whatever was looked at meanwhile.
  REQUIRE(tool("draw slices -o s.svg").status == 0);
  REQUIRE(tool("report -o again.html --author \"A. Analyst\" --title \"A <b>bold</b> title\"").status <= 1);
  CHECK(tool.read("again.html") == html);
  // What is told of is told as it was found.
  const json seek = tool("seek --front --points 12 --json").json();
  const double best = seek["proposals"][0]["responses"]["y"]["mean"];
  std::ostringstream digits;
  digits.precision(3);
  digits << best;
  CHECK(contains(html, digits.str()));
}

TEST_CASE("a report on A4, and read without scripts") {
  const Tool tool;
  worked_on(tool);
  REQUIRE(tool("report -o r.html").status <= 1);
  const Answer printed = tool.shell("RENTH_NODE_MODULES=" RENTH_WEB_BUILD "/node_modules node " RENTH_TESTS
                                    "/web/print.mjs \"$PWD/r.html\" \"$PWD/r.pdf\"");
  CAPTURE(printed.err);
  REQUIRE(printed.status == 0);
  const json seen = printed.json();
  CHECK(seen["requests"] == json::array());
  CHECK(seen["wider"] == 0);  // nothing is cut off at the right
  CHECK(contains(seen["words"], "The best setting found"));
  const std::string info = tool.shell("pdfinfo r.pdf").out;
  CHECK(contains(info, "A4"));
  CHECK(contains(tool.shell("pdftotext r.pdf -").out, "What was asked, and what was found"));
}

TEST_CASE("sections, responses and Markdown") {
  const Tool tool;
  worked_on(tool);
  REQUIRE(tool("report -o some.html --sections summary,ranking --responses z").status <= 1);
  check_report(tool, "some.html");
  const std::string some = tool.read("some.html");
  CHECK(contains(some, "What matters"));
  CHECK_FALSE(contains(some, "Appendix"));
  REQUIRE(tool("report -o r.md").status <= 1);
  const std::string markdown = tool.read("r.md");
  CHECK(markdown.rfind("# formula", 0) == 0);
  int pictures = 0;
  for (std::size_t at = 0; (at = markdown.find("](r_files/", at)) != std::string::npos; ++at) {
    const std::size_t from = at + 2;
    CHECK(contains(tool.read(markdown.substr(from, markdown.find(')', from) - from)), "<svg"));
    ++pictures;
  }
  CHECK(pictures > 5);
  REQUIRE(tool("report -o live.html --live").status <= 1);
  CHECK(contains(tool.read("live.html"), "id=\"page\""));
  CHECK(contains(tool("report -o r.txt").err, "ends in .html or .md"));
  CHECK(contains(tool("report -o r.html --sections sumary").err, "did you mean summary"));
  CHECK(contains(tool("report -o r.html --responses w").err, "unknown response w"));
  CHECK(contains(tool("report -o r.md --live").err, "cannot move"));
  CHECK(tool("report -o none/there/r.html").status == 4);
}

TEST_CASE("reports of studies in every state: empty, failing, imported, noise, large, hostile") {
  const Tool tool;
  const auto report = [&](const std::string& study) {
    tool.write("study.toml", study);
    return tool("report -o r.html");
  };
  // Nothing yet.
  REQUIRE(report(formula_study).status == 0);
  check_report(tool, "r.html");
  CHECK(contains(tool.read("r.html"), "Plan runs: renth plan"));
  CHECK_FALSE(contains(tool.read("r.html"), "The surrogates"));
  // Everything fails.
  tool.shell("rm -rf study.db*");
  tool.write("study.toml",
             "[study]\nname = \"</title><script>alert(1)</script>\"\n[[parameter]]\nname = \"a\"\nlabel = "
             "\"a & <b>\"\nspan = [1, 2]\n"
             "[[response]]\nname = \"y\"\nunit = \"\\\"<i>\"\n[solver]\nkind = "
             "\"formula\"\n[solver.formula]\ny = \"log(-a)\"\n");
  REQUIRE(tool("plan latin-hypercube --runs 12").status == 0);
  REQUIRE(tool("run -q").status == 3);
  REQUIRE(tool("report -o r.html").status == 0);
  check_report(tool, "r.html");
  CHECK(contains(tool.read("r.html"), "12 failed"));
  CHECK(contains(tool.read("r.html"), "&lt;/title&gt;"));
  // Thirty parameters and twenty responses, a bare table, most of it noise.
  tool.shell("rm -rf study.db*");
  std::string study = "[study]\nname = \"large\"\n", header, rows;
  for (int j = 1; j <= 30; ++j)
    study += "[[parameter]]\nname = \"p" + std::to_string(j) + "\"\nspan = [0, 1]\n",
        header += "p" + std::to_string(j) + ",";
  for (int k = 1; k <= 20; ++k)
    study += "[[response]]\nname = \"y" + std::to_string(k) + "\"\n",
        header += "y" + std::to_string(k) + (k < 20 ? "," : "\n");
  std::srand(3);
  for (int i = 0; i < 60; ++i)
    for (int c = 0; c < 50; ++c)
      rows += std::to_string(double(std::rand()) / RAND_MAX) + (c < 49 ? "," : "\n");
  tool.write("study.toml", study + "[solver]\nkind = \"manual\"\n");
  tool.write("runs.csv", header + rows);
  REQUIRE(tool("import runs.csv").status == 0);
  REQUIRE(tool("fit polynomial --model linear --json").status <= 1);
  REQUIRE(tool("report -o r.html").status <= 1);
  check_report(tool, "r.html");
  CHECK(contains(tool.read("r.html"), "NOT to be predicted from these runs"));
}
