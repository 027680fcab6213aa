#include <csv.h>
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <fstream>
#include <memory>
#include <renth/error.hpp>
#include <renth/study/table_file.hpp>
#include <set>
#include <sstream>

namespace renth {
namespace {

std::string trim(const std::string& text) {
  const auto first = text.find_first_not_of(" \t\r\n");
  if (first == std::string::npos) return "";
  return text.substr(first, text.find_last_not_of(" \t\r\n") - first + 1);
}

struct Collector {
  std::vector<TableFile::Row> rows;
  std::vector<std::string> cells;
  int line = 1;
};

}  // namespace

std::optional<std::size_t> TableFile::column(std::string_view name) const {
  for (std::size_t i = 0; i < header.size(); ++i)
    if (header[i] == name) return i;
  return std::nullopt;
}

TableFile parse_table(std::string text, const std::string& file) {
  if (text.rfind("\xef\xbb\xbf", 0) == 0) text.erase(0, 3);
  if (trim(text).empty()) throw Error("the table is empty", file, "give it a header and a row a run");
  const std::string first = text.substr(0, text.find('\n'));
  char separator = ',';
  for (const char c : {';', '\t'})
    if (std::count(first.begin(), first.end(), c) > std::count(first.begin(), first.end(), separator))
      separator = c;

  csv_parser parser;
  csv_init(&parser, CSV_APPEND_NULL);
  const std::unique_ptr<csv_parser, decltype(&csv_free)> owner(&parser, csv_free);
  csv_set_delim(&parser, static_cast<unsigned char>(separator));
  Collector all;
  const auto on_cell = [](void* bytes, size_t length, void* data) {
    static_cast<Collector*>(data)->cells.push_back(
        trim(std::string(static_cast<const char*>(bytes), length)));
  };
  const auto on_row = [](int, void* data) {
    auto& c = *static_cast<Collector*>(data);
    if (std::any_of(c.cells.begin(), c.cells.end(), [](const std::string& s) { return !s.empty(); }))
      c.rows.push_back({c.line, c.cells});
    c.cells.clear();
  };
  // A line at a time, so that every row knows where it stands.
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size() - 1) + 1;
    const std::size_t rows = all.rows.size();
    if (csv_parse(&parser, text.data() + at, end - at, on_cell, on_row, &all) != end - at)
      throw Error("the table cannot be read", fmt::format("{}:{}", file, all.line), "check the quotes");
    at = end;
    ++all.line;
    if (all.rows.size() > rows && all.line > 1) all.rows.back().line = all.line - 1;
  }
  csv_fini(&parser, on_cell, on_row, &all);

  TableFile out;
  if (all.rows.empty()) throw Error("the table is empty", file, "give it a header and a row a run");
  out.header = all.rows.front().cells;
  std::set<std::string> seen;
  for (const std::string& name : out.header) {
    if (name.empty())
      throw Error("a column has no name", fmt::format("{}:{}", file, all.rows.front().line),
                  "name it in the header");
    if (!seen.insert(name).second)
      throw Error(fmt::format("two columns are called {}", name),
                  fmt::format("{}:{}", file, all.rows.front().line), "rename one");
  }
  for (std::size_t i = 1; i < all.rows.size(); ++i) {
    TableFile::Row& row = all.rows[i];
    if (row.cells.size() != out.header.size())
      throw Error(fmt::format("the row has {} cells and the header {}", row.cells.size(), out.header.size()),
                  fmt::format("{}:{}", file, row.line), "check the separators");
    if (separator == ';')
      for (std::string& cell : row.cells)
        if (!cell_number(cell) && std::count(cell.begin(), cell.end(), ',') == 1) {
          std::string with_point = cell;
          std::replace(with_point.begin(), with_point.end(), ',', '.');
          if (cell_number(with_point)) cell = with_point;
        }
    out.rows.push_back(std::move(row));
  }
  return out;
}

TableFile read_table(const std::string& file) {
  std::ifstream in(file, std::ios::binary);
  if (!in) throw Error("cannot read the table", file, "check the name");
  std::ostringstream text;
  text << in.rdbuf();
  return parse_table(text.str(), file);
}

std::optional<double> cell_number(const std::string& cell) {
  std::string_view text = cell;
  if (!text.empty() && text.front() == '+') text.remove_prefix(1);
  double value = 0;
  const auto [end, status] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (text.empty() || status != std::errc() || end != text.data() + text.size()) return std::nullopt;
  return value;
}

std::string csv_cell(const std::string& text) {
  if (text.find_first_of(",;\"\n\r\t") == std::string::npos && text == trim(text)) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
  return out + '"';
}

}  // namespace renth
