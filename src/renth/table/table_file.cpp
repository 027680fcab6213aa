#include <csv.h>
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>
#include <map>
#include <memory>
#include <renth/base/error.hpp>
#include <renth/base/text.hpp>
#include <renth/table/sheets.hpp>
#include <renth/table/table_file.hpp>
#include <renth/table/whole_file.hpp>
#include <set>

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

void put_utf8(std::string& out, unsigned c) {
  const auto put = [&](unsigned v) { out.push_back(static_cast<char>(v)); };
  if (c < 0x80)
    put(c);
  else if (c < 0x800)
    put(0xc0 | c >> 6), put(0x80 | (c & 63));
  else if (c < 0x10000)
    put(0xe0 | c >> 12), put(0x80 | (c >> 6 & 63)), put(0x80 | (c & 63));
  else
    put(0xf0 | c >> 18), put(0x80 | (c >> 12 & 63)), put(0x80 | (c >> 6 & 63)), put(0x80 | (c & 63));
}

/// UTF-16 with a byte-order mark, as spreadsheets save "Unicode text", to UTF-8.
std::string from_utf16(const std::string& bytes, bool big_endian) {
  std::string out;
  const auto unit = [&](std::size_t i) {
    const auto a = static_cast<unsigned char>(bytes[i]), b = static_cast<unsigned char>(bytes[i + 1]);
    return static_cast<unsigned>(big_endian ? a << 8 | b : b << 8 | a);
  };
  for (std::size_t i = 2; i + 1 < bytes.size(); i += 2) {
    unsigned c = unit(i);
    if (c >= 0xd800 && c < 0xdc00 && i + 3 < bytes.size()) {
      c = 0x10000 + ((c - 0xd800) << 10) + (unit(i + 2) - 0xdc00);
      i += 2;
    }
    put_utf8(out, c);
  }
  return valid_utf8(out);  // half a pair is no character
}

/// What spreadsheets of western Windows call "CSV": windows-1252, as https://encoding.spec.whatwg.org has it.
std::string from_windows_1252(const std::string& bytes) {
  static constexpr unsigned high[32] = {0x20AC, 0x81,   0x201A, 0x0192, 0x201E, 0x2026, 0x2020, 0x2021,
                                        0x02C6, 0x2030, 0x0160, 0x2039, 0x0152, 0x8D,   0x017D, 0x8F,
                                        0x90,   0x2018, 0x2019, 0x201C, 0x201D, 0x2022, 0x2013, 0x2014,
                                        0x02DC, 0x2122, 0x0161, 0x203A, 0x0153, 0x9D,   0x017E, 0x0178};
  std::string out;
  for (const char byte : bytes) {
    const auto c = static_cast<unsigned char>(byte);
    put_utf8(out, c >= 0x80 && c < 0xa0 ? high[c - 0x80] : c);
  }
  return out;
}

/// Whatever a spreadsheet or an old program saved, as UTF-8 lines that end with \n.
std::string plain_text(std::string text) {
  if (text.rfind("\xff\xfe", 0) == 0 || text.rfind("\xfe\xff", 0) == 0)
    text = from_utf16(text, text[0] == '\xfe');
  if (text.rfind("\xef\xbb\xbf", 0) == 0) text.erase(0, 3);
  if (!is_valid_utf8(text)) text = from_windows_1252(text);
  if (text.find('\n') == std::string::npos) std::replace(text.begin(), text.end(), '\r', '\n');
  return text;
}

/// The separator that the header has most of outside quotes; blanks if it has none.
char separator_of(const std::string& header) {
  std::map<char, int> count;
  bool quoted = false;
  for (const char c : header) {
    quoted = quoted != (c == '"');
    if (!quoted) ++count[c];
  }
  char best = ',';
  for (const char c : {';', '\t', '|'})
    if (count[c] > count[best]) best = c;
  return count[best] == 0 && count[' '] > 0 && trim(header).find(' ') != std::string::npos ? ' ' : best;
}

/// Runs of blanks as one tab, outside quotes.
std::string blanks_to_tabs(const std::string& text) {
  std::string out;
  bool quoted = false, line_begins = true;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    quoted = quoted != (c == '"');
    if (quoted || c != ' ') {
      out.push_back(c);
      line_begins = c == '\n';
      continue;
    }
    const bool ends =
        i + 1 == text.size() || text[i + 1] == '\n' || text[i + 1] == '\r' || text[i + 1] == ' ';
    if (!line_begins && !ends) out.push_back('\t');
  }
  return out;
}

/// All rows that are not blank, each with its line; once there are so many, `take` gets them and empties
/// them.
void collect(const std::string& text, char separator, const std::string& file, std::size_t most,
             const std::function<void(std::vector<TableFile::Row>&)>& take) {
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
      c.rows.push_back({c.line, std::move(c.cells)});
    c.cells.clear();
  };
  // A line at a time, so that every row knows where it stands.
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size() - 1) + 1;
    if (all.rows.size() >= most) take(all.rows);
    const std::size_t rows = all.rows.size();
    if (csv_parse(&parser, text.data() + at, end - at, on_cell, on_row, &all) != end - at)
      throw Error("the table cannot be read", fmt::format("{}:{}", file, all.line), "check the quotes");
    at = end;
    ++all.line;
    if (all.rows.size() > rows && all.line > 1) all.rows.back().line = all.line - 1;
  }
  csv_fini(&parser, on_cell, on_row, &all);
  take(all.rows);
}

/// Would a spreadsheet take it for a formula and work it out, or is it such a text with a ' before it?
bool may_be_formula(std::string_view text) {
  const std::size_t first = text.find_first_not_of('\'');
  return first != std::string_view::npos &&
         std::string_view("=+-@\t\r").find(text[first]) != std::string_view::npos;
}

/// A decimal comma becomes a point; between commas it stood in quotes, and 1,234 could be a thousand.
std::string with_decimal_point(const std::string& cell, char separator) {
  const std::size_t comma = cell.find(',');
  if (comma == std::string::npos || cell.find(',', comma + 1) != std::string::npos) return cell;
  if (separator == ',' && cell.size() - comma == 4) return cell;
  std::string with_point = cell;
  with_point[comma] = '.';
  return cell_number(with_point) ? with_point : cell;
}

/// Adds rows to a table. \throws Error  another number of cells than the header has.
void add_rows(std::vector<TableFile::Row> rows, const std::string& file, TableFile& out) {
  for (TableFile::Row& row : rows) {
    if (row.cells.size() != out.header.size())
      throw Error(fmt::format("the row has {} cells and the header {}", row.cells.size(), out.header.size()),
                  fmt::format("{}:{}", file, row.line), "check the separators");
    out.rows.push_back(std::move(row));
  }
}

/// The first row as the header. \throws Error  as parse_table().
TableFile take_header(std::vector<TableFile::Row>& rows, const std::string& file) {
  TableFile out;
  if (rows.empty()) throw Error("the table is empty", file, "give it a header and a row a run");
  out.header = std::move(rows.front().cells);
  const std::string at = fmt::format("{}:{}", file, rows.front().line);
  std::set<std::string> seen;
  for (const std::string& name : out.header) {
    if (name.empty()) throw Error("a column has no name", at, "name it in the header");
    if (!seen.insert(name).second)
      throw Error(fmt::format("two columns are called {}", name), at, "rename one");
  }
  rows.erase(rows.begin());
  return out;
}

/// The first sheet of a spreadsheet; blank rows are none, and what is blank at a row's end may be missing.
TableFile table_of_sheet(const std::string& file, const std::string& sheet) {
  std::vector<TableFile::Row> rows;
  int line = 0;
  std::size_t width = 0;
  SheetRead read = read_sheet(file, sheet);
  for (std::vector<std::string>& cells : read.rows) {
    ++line;
    for (std::string& cell : cells) cell = trim(cell);
    while (!cells.empty() && cells.back().empty()) cells.pop_back();
    if (cells.empty()) continue;
    if (rows.empty()) width = cells.size();
    if (cells.size() < width) cells.resize(width);
    rows.push_back({line, std::move(cells)});
  }
  TableFile out = take_header(rows, file);
  add_rows(std::move(rows), file, out);
  const std::string taken = sheet.empty() ? read.sheets.front() : sheet;
  for (std::string& name : read.sheets)
    if (name != taken) out.other_sheets.push_back(std::move(name));
  return out;
}

}  // namespace

std::optional<std::size_t> TableFile::column(std::string_view name) const {
  for (std::size_t i = 0; i < header.size(); ++i)
    if (header[i] == name) return i;
  return std::nullopt;
}

namespace {

void parse_in_parts(std::string text, const std::string& file, std::size_t most,
                    const std::function<void(TableFile&)>& take) {
  text = plain_text(std::move(text));
  if (trim(text).empty()) throw Error("the table is empty", file, "give it a header and a row a run");
  const std::size_t begin = text.find_first_not_of("\r\n");
  char separator = separator_of(text.substr(begin, text.find('\n', begin) - begin));
  if (separator == ' ') {
    text = blanks_to_tabs(text);
    separator = '\t';
  }

  TableFile part;
  bool first = true;
  collect(text, separator, file, most, [&](std::vector<TableFile::Row>& rows) {
    if (first)
      part = take_header(rows, file);
    else if (rows.empty())
      return;
    first = false;
    add_rows(std::move(rows), file, part);
    rows.clear();
    for (TableFile::Row& row : part.rows)
      for (std::string& cell : row.cells) {
        cell = with_decimal_point(cell, separator);
        if (cell.size() > 1 && cell[0] == '\'' && may_be_formula(cell)) cell.erase(0, 1);  // see csv_cell()
      }
    take(part);
    part.rows.clear();
  });
}

}  // namespace

TableFile parse_table(std::string text, const std::string& file) {
  TableFile out;
  parse_in_parts(std::move(text), file, std::numeric_limits<std::size_t>::max(),
                 [&](TableFile& all) { out = std::move(all); });
  return out;
}

std::string read_table_text(const std::string& file) {
  return read_whole_file(file == "-" ? "/dev/stdin" : file, "cannot read the table", "check the name");
}

TableFile read_table(const std::string& file, const std::string& sheet) {
  if (is_spreadsheet(file)) return table_of_sheet(file, sheet);
  if (!sheet.empty()) throw Error(file + " has no sheets", "--sheet", "leave it out");
  return parse_table(read_table_text(file), file);
}

void read_table_in_parts(const std::string& file, std::size_t rows,
                         const std::function<void(TableFile&)>& take) {
  if (!is_spreadsheet(file)) return parse_in_parts(read_table_text(file), file, rows, take);
  TableFile all = read_table(file);
  take(all);
}

std::optional<double> cell_number(const std::string& cell) {
  std::string_view text = cell;
  if (!text.empty() && text.front() == '+') text.remove_prefix(1);
  double value = 0;
  const auto [end, status] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (text.empty() || status != std::errc() || end != text.data() + text.size()) return std::nullopt;
  return value;
}

bool is_missing(const std::string& cell) {
  static const std::set<std::string> words = {"",     "NA",   "N/A",  "n/a", "#N/A", "NaN", "nan",    "NAN",
                                              "null", "NULL", "None", "-",   "–",    "?",   "missing"};
  return words.count(cell) > 0;
}

std::string csv_cell(const std::string& plain) {
  const std::string text = may_be_formula(plain) && !cell_number(plain) ? '\'' + plain : plain;
  if (text.find_first_of(",;\"\n\r\t") == std::string::npos && text == trim(text)) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
  return out + '"';
}

std::vector<double> read_one_column(const std::string& file) {
  const TableFile table = read_table(file);
  if (table.header.size() != 1)
    throw Error(fmt::format("{} columns where one is needed", table.header.size()), file, "leave that one");
  std::vector<double> out;
  if (const auto first = cell_number(table.header.front())) out.push_back(*first);
  for (const TableFile::Row& row : table.rows) {
    const auto number = cell_number(row.cells.front());
    if (!number || !std::isfinite(*number))
      throw Error(fmt::format("\"{}\" is no number", row.cells.front()), fmt::format("{}:{}", file, row.line),
                  "correct or remove the line");
    out.push_back(*number);
  }
  std::sort(out.begin(), out.end());
  return out;
}

}  // namespace renth
