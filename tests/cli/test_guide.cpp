#include <doctest/doctest.h>

#include <algorithm>
#include <cli/tool.hpp>
#include <sstream>

using namespace renth::test;

namespace {

/// Carries out what a guide's consoles and shells hold, and looks for the lines that it shows.
void follow(const std::string& name, int least_commands, int least_compared) {
  const Tool tool;
  std::istringstream guide(slurp(std::string(RENTH_TESTS) + "/../docs/" + name));
  std::string line, output;
  std::size_t from = 0;
  bool console = false, shell = false;
  int commands = 0, compared = 0;
  while (std::getline(guide, line)) {
    if (line.rfind("```", 0) == 0) {
      console = line == "```console";
      shell = line == "```sh";
      continue;
    }
    if (shell && line.rfind("renth ", 0) == 0) tool(line.substr(6));
    if (!console || line == "…") continue;
    if (line.rfind("$ renth ", 0) == 0) {
      const auto answer = tool(line.substr(8));
      CHECK_MESSAGE(answer.status == 0, line, "\n", answer.err);
      output = "\n" + answer.out;
      from = 0;
      ++commands;
      continue;
    }
    // Lines in their order, each whole.
    const std::size_t at = output.find("\n" + line + "\n", from);
    CHECK_MESSAGE(at != std::string::npos, "not printed: ", line);
    if (at != std::string::npos) from = at + 1;
    ++compared;
  }
  CHECK(commands >= least_commands);
  CHECK(compared >= least_compared);
}

}  // namespace

TEST_CASE("the guide to regression shows what the tool prints") {
  follow("regression.md", 7, 20);
}

TEST_CASE("the tutorial of the tool shows what it prints") {
  follow("tutorial-tool.md", 8, 18);
}

namespace {

/// The blocks of one language in a guide.
std::vector<std::string> blocks_of(const std::string& guide, const std::string& language) {
  std::istringstream text(slurp(std::string(RENTH_TESTS) + "/../docs/" + guide));
  std::vector<std::string> out;
  bool inside = false;
  for (std::string line; std::getline(text, line);) {
    if (line.rfind("```", 0) == 0) {
      inside = !inside && line == "```" + language;
      if (inside) out.emplace_back();
    } else if (inside) {
      out.back() += line + "\n";
    }
  }
  return out;
}

/// The keys that a table of the study file can have, as the tool names them when it meets one that it does
/// not know.
std::vector<std::string> keys_of(const Tool& tool, const std::string& study, const std::string& place) {
  tool.write("study.toml", study);
  const std::string said = tool("check").err;
  const std::string mark = place + ".zzzzzzzzzzzz: use one of ";
  const std::size_t at = said.find(mark);
  CHECK_MESSAGE(at != std::string::npos, place, "\n", said);
  std::istringstream list(said.substr(at + mark.size(), said.find('\n', at) - at - mark.size()));
  std::vector<std::string> out;
  for (std::string key; std::getline(list >> std::ws, key, ',');) out.push_back(key);
  return out;
}

}  // namespace

TEST_CASE("the examples of the study file are read, and show every key") {
  const Tool tool;
  tool.write("buoy.in.template", "radius {{radius}} {{hull}} {{depth}}\n");
  tool.write("mesh.dat", "1\n");
  tool.write("drift.csv", "deviation\n-0.1\n0\n0.1\n");
  const std::vector<std::string> examples = blocks_of("study-file.md", "toml");
  REQUIRE(examples.size() == 3);
  std::string all;
  for (const std::string& example : examples) {
    tool.write("study.toml", example);
    const Answer check = tool("check");
    CHECK_MESSAGE(check.status == 0, check.err);
    all += example;
  }
  CHECK(tool("plan --runs 6").status == 0);
  tool.write("study.toml", examples[1]);
  tool.shell("rm study.db");
  tool("plan --runs 20");
  REQUIRE(tool("run").status == 0);
  CHECK(tool("runs --json").json()["runs"][0]["responses"]["wave"].size() == 31);

  const std::string odd = "zzzzzzzzzzzz = 1\n",
                    head = "[study]\nname = \"x\"\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n",
                    axis = "[[axis]]\nname = \"t\"\npoints = [1, 2]\n",
                    response = "[[response]]\nname = \"y\"\n",
                    solver = "[solver]\nkind = \"slurm\"\ncommand = [\"x\"]\n";
  const std::vector<std::pair<std::string, std::string>> tables = {
      {"study", "[study]\n" + odd + "[[parameter]]\nname = \"a\"\nspan = [0, 1]\n" + response},
      {"parameter", head + odd + response},
      {"axis", head + "[[axis]]\nname = \"t\"\nfrom = 1\nto = 2\ncount = 2\n" + odd + response},
      {"limit", head + "[[limit]]\nkeep = \"a > 0\"\n" + odd + response},
      {"response", head + response + odd},
      {"response.accept", head + response + "accept = { min = 1, zzzzzzzzzzzz = 1 }\n"},
      {"scenario", head + response + "[[scenario]]\nname = \"s\"\n" + odd},
      {"solver", head + response + solver + "output = \"json\"\n" + odd},
      {"solver.slurm", head + response + solver + "output = \"json\"\n[solver.slurm]\n" + odd},
      {"solver.output.y", head + response + solver + "output = { y = { csv = 1, zzzzzzzzzzzz = 1 } }\n"}};
  for (const auto& [place, study] : tables)
    for (const std::string& key : keys_of(tool, study, place)) {
      const bool shown = contains(all, "\n" + key + " =") || contains(all, "{ " + key + " =") ||
                         contains(all, ", " + key + " =") || contains(all, "[solver." + key + "]");
      CHECK_MESSAGE(shown, place, ": ", key);
    }
}

namespace {

/// Are the lines of a guide's blocks among what was printed, each whole and in their order?
void check_printed(const std::vector<std::string>& blocks, const std::string& printed) {
  const std::string output = "\n" + printed;
  std::size_t from = 0;
  for (const std::string& block : blocks) {
    std::istringstream text(block);
    for (std::string line; std::getline(text, line);) {
      const std::size_t at = output.find("\n" + line + "\n", from);
      CHECK_MESSAGE(at != std::string::npos, "not printed: ", line, "\n", printed);
      if (at != std::string::npos) from = at + 1;
    }
  }
}

}  // namespace

TEST_CASE("the tutorial of the Python package shows what it prints" *
          doctest::skip(std::string(RENTH_PYTHON_PATH).empty())) {
  const Tool tool;
  std::string program;
  for (const std::string& block : blocks_of("tutorial-python.md", "python")) program += block;
  tool.write("tutorial.py", program);
  const Answer a = tool.shell("PYTHONPATH='" RENTH_PYTHON_PATH "' /usr/bin/python3 tutorial.py");
  REQUIRE_MESSAGE(a.status == 0, a.err);
  const auto shown = blocks_of("tutorial-python.md", "text");
  CHECK(shown.size() >= 5);
  check_printed(shown, a.out);
}

TEST_CASE("the tutorial of the library shows what it prints") {
  const Tool tool;
  const Answer a = tool.shell(RENTH_TUTORIAL);
  REQUIRE_MESSAGE(a.status == 0, a.err);
  const auto shown = blocks_of("tutorial-library.md", "text");
  CHECK(shown.size() >= 5);
  check_printed(shown, a.out);
}

TEST_CASE("the README's program is the example that is built") {
  const std::string example = slurp(std::string(RENTH_TESTS) + "/../examples/surrogate.cpp");
  CHECK(example.substr(example.find("#include")) == blocks_of("../README.md", "cpp").at(0));
}
