// Forty classical mistakes, each a small study: what is typed, and what must be said about it
// (docs/mistakes.md).
#include <doctest/doctest.h>

#include <algorithm>
#include <cli/tool.hpp>
#include <filesystem>
#include <fstream>
#include <set>

using namespace renth::test;
namespace fs = std::filesystem;

namespace {

/// Does what `steps` says: "$" a command of the tool, "!" one of the shell, "says" words of the last answer,
/// "report" words of a report.
void make_mistake(const fs::path& folder) {
  const Tool tool;
  for (const auto& file : fs::directory_iterator(folder)) fs::copy(file.path(), tool.folder);
  Answer last;
  std::string report;
  std::ifstream steps(folder / "steps");
  int said = 0;
  for (std::string line; std::getline(steps, line);) {
    CAPTURE(line);
    if (line.starts_with("$ ")) {
      last = tool(line.substr(2));
      report.clear();
      CHECK(last.status <= 3);
    } else if (line.starts_with("! ")) {
      REQUIRE(tool.shell(line.substr(2)).status == 0);
    } else if (line.starts_with("says ")) {
      CAPTURE(last.out);
      CAPTURE(last.err);
      CHECK(contains(last.out + last.err, line.substr(5)));
      ++said;
    } else if (line.starts_with("report ")) {
      if (report.empty()) {
        const Answer a =
            tool("report -o r.html --sections summary,runs,surrogates,ranking,proposals,production");
        CAPTURE(a.err);
        CHECK(a.status <= 1);
        report = tool.read("r.html");
      }
      // As it is written in HTML.
      std::string words = line.substr(7);
      for (const auto& [plain, escaped] :
           {std::pair{"&", "&amp;"}, {"<", "&lt;"}, {">", "&gt;"}, {"\"", "&quot;"}, {" %", "\u00a0%"}})
        for (std::size_t at = 0; (at = words.find(plain, at)) != std::string::npos;
             at += std::string(escaped).size())
          words.replace(at, std::string(plain).size(), escaped);
      CHECK(contains(report, words));
      ++said;
    } else {
      CHECK(line.empty());
    }
  }
  CHECK(said > 0);
}

}  // namespace

TEST_CASE("forty classical mistakes are said in words, with the next step") {
  std::set<fs::path> folders;
  for (const auto& entry : fs::directory_iterator(RENTH_TESTS "/mistakes")) folders.insert(entry.path());
  CHECK(folders.size() == 40);
  const std::string page = slurp(RENTH_TESTS "/../docs/mistakes.md");
  for (const fs::path& folder : folders) {
    const std::string name = folder.filename();
    CAPTURE(name);
    CHECK(contains(page, "tests/mistakes/" + name + "/steps"));
    make_mistake(folder);
  }
}
