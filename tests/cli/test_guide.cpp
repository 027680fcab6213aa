#include <doctest/doctest.h>

#include <algorithm>
#include <cli/tool.hpp>
#include <sstream>

using namespace renth::test;

TEST_CASE("the guide to regression shows what the tool prints") {
  const Tool tool;
  std::istringstream guide(slurp(std::string(RENTH_TESTS) + "/../docs/regression.md"));
  std::string line, output;
  std::size_t from = 0;
  bool console = false;
  int commands = 0, compared = 0;
  while (std::getline(guide, line)) {
    if (line.rfind("```", 0) == 0) {
      console = line == "```console";
      continue;
    }
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
  CHECK(commands >= 7);
  CHECK(compared >= 20);
}
