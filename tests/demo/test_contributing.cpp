// What CONTRIBUTING.md names is there.
#include <doctest/doctest.h>

#include <filesystem>
#include <support_files.hpp>

TEST_CASE("every file that CONTRIBUTING.md names exists") {
  const std::filesystem::path root = std::filesystem::path(RENTH_TESTS) / "..";
  const std::string text = renth::test::slurp(root / "CONTRIBUTING.md");
  int named = 0;
  for (std::size_t open = 0; (open = text.find('`', open)) != std::string::npos;) {
    const std::size_t close = text.find('`', open + 1);
    REQUIRE(close != std::string::npos);
    std::string name = text.substr(open + 1, close - open - 1);
    open = close + 1;
    if (name.find('/') == std::string::npos) continue;
    CAPTURE(name);
    CHECK(std::filesystem::exists(root / name));
    ++named;
  }
  CHECK(named > 25);
}
