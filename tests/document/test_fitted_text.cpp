#include <doctest/doctest.h>

#include <renth/base/text.hpp>
#include <renth/document/figures.hpp>
#include <renth/document/fitted_text.hpp>
#include <sstream>

using namespace renth;

namespace {

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> out;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) out.push_back(line);
  return out;
}
int width_of(const std::string& line) {
  int out = 0;
  for (const char c : line) out += !continues_character(c);
  return out;
}
/// A table of `rows` with this many columns of numbers; each cell says where it belongs.
std::string wide_table(int rows, int columns) {
  Rows out;
  for (int i = 0; i < rows; ++i) {
    Figures row = {text("", "response", "größe" + std::to_string(i))};
    for (int j = 0; j < columns; ++j) row.push_back(whole("", "column " + std::to_string(j), 1000 * i + j));
    out.push_back(std::move(row));
  }
  return table_of(out);
}

}  // namespace

TEST_CASE(
    "a table that is too wide is set in parts, no line wider than asked, no cell lost, each row named") {
  for (const int width : {30, 47, 60, 80, 200}) {
    CAPTURE(width);
    const std::string fitted = fitted_to(wide_table(7, 9), width);
    for (const std::string& line : lines_of(fitted)) CHECK(width_of(line) <= width);
    for (int i = 0; i < 7; ++i)
      for (int j = 0; j < 9; ++j) {
        const std::string cell = std::to_string(1000 * i + j);
        bool found = false;
        for (const std::string& line : lines_of(fitted))
          found = found || (line.find("größe" + std::to_string(i)) != std::string::npos &&
                            (line + " ").find(" " + cell + " ") != std::string::npos);
        CHECK_MESSAGE(found, cell);
      }
  }
  CHECK(fitted_to(wide_table(7, 9), 0) == wide_table(7, 9));
  CHECK(fitted_to(wide_table(7, 9), 300) == wide_table(7, 9));
}

TEST_CASE("rows that the first column does not tell apart carry the second as well") {
  Rows rows;
  for (const char* at : {"5 s", "6 s"})
    rows.push_back({text("", "response", "absorbed"), text("", "at", at),
                    text("", "first", "a long text here"), text("", "second", "another long text")});
  const std::string fitted = fitted_to(table_of(rows), 40);
  CHECK(fitted.find("absorbed  6 s  another long text") != std::string::npos);
}

TEST_CASE("sentences break between words; commands and equations stay whole") {
  const std::string long_note =
      "note: a sentence that goes on and on, much longer than the line is wide, über alles";
  const std::string fitted = fitted_to(long_note + "\n", 30);
  for (const std::string& line : lines_of(fitted)) CHECK(width_of(line) <= 30);
  std::string joined;
  std::istringstream words(fitted);
  for (std::string word; words >> word;) joined += (joined.empty() ? "" : " ") + word;
  CHECK(joined == long_note);
  CHECK(lines_of(fitted)[1].rfind("      ", 0) == 0);
  for (const char* whole : {"next: renth runs --where \"status == 'planned'\" --export runs.csv",
                            "heave = -4.32969 - 0.0206657*damping - 21.7895*draft + 11.9667*period"}) {
    const std::string line = whole;
    CHECK(fitted_to(line, 30) == line);
  }
  const std::string word(100, 'x');  // nothing to break at
  CHECK(fitted_to("a " + word + " b\n", 30) == "a\n  " + word + "\n  b\n");
  CHECK(fitted_to("", 30).empty());
  CHECK(fitted_to("\n\n", 30) == "\n\n");
}
