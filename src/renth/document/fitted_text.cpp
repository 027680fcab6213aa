#include <algorithm>
#include <renth/base/text.hpp>
#include <renth/document/fitted_text.hpp>
#include <set>
#include <vector>

namespace renth {
namespace {

/// A line as characters, not bytes.
std::vector<std::string> characters(const std::string& line) {
  std::vector<std::string> out;
  for (const char c : line) {
    if (!out.empty() && continues_character(c))
      out.back() += c;
    else
      out.emplace_back(1, c);
  }
  return out;
}

/// The characters from one place to before another, without blanks at the end.
std::string cut(const std::vector<std::string>& line, std::size_t from, std::size_t to) {
  std::string out;
  for (std::size_t i = from; i < std::min(to, line.size()); ++i) out += line[i];
  out.erase(out.find_last_not_of(' ') + 1);
  return out;
}

/// A column of a table: where its characters stand.
struct Column {
  std::size_t begin, end;
};

/// The columns, if this is the rule under the header of a table; else nothing.
std::vector<Column> columns_of(const std::vector<std::string>& rule) {
  std::vector<Column> out;
  for (std::size_t i = 0; i < rule.size(); ++i) {
    if (rule[i] == " ") continue;
    if (rule[i] != "─") return {};
    if (out.empty() || out.back().end != i) out.push_back({i, i});
    out.back().end = i + 1;
  }
  return out;
}

/// May the line be a row: are there blanks between all columns?
bool is_row(const std::vector<std::string>& line, const std::vector<Column>& columns) {
  if (line.size() < 3 || line[0] != " " || line[1] != " ") return false;
  for (std::size_t c = 1; c < columns.size(); ++c)
    for (std::size_t i = columns[c - 1].end; i < std::min(columns[c].begin, line.size()); ++i)
      if (line[i] != " ") return false;
  return true;
}

/// Breaks a text between words; every line but the first begins with so many blanks.
std::string broken(const std::string& text, std::size_t width, std::size_t indent) {
  std::string out;
  std::vector<std::string> rest = characters(text);
  bool first = true;
  while (rest.size() > width) {
    std::size_t at = width;
    const std::size_t least = first ? 1 : indent + 1;
    while (at > least && rest[at] != " ") --at;
    // No blank but those that indent the line: the word is left whole.
    if (std::all_of(rest.begin(), rest.begin() + std::ptrdiff_t(at),
                    [](const auto& c) { return c == " "; }) ||
        rest[at] != " ") {
      at = std::size_t(std::find(rest.begin() + std::ptrdiff_t(width), rest.end(), " ") - rest.begin());
      if (at == rest.size()) break;
    }
    out += cut(rest, 0, at) + "\n";
    while (at < rest.size() && rest[at] == " ") ++at;
    rest.erase(rest.begin(), rest.begin() + std::ptrdiff_t(at));
    rest.insert(rest.begin(), indent, " ");
    first = false;
  }
  return out + cut(rest, 0, rest.size()) + "\n";
}

/// How many of the first columns tell the rows from one another: one or two.
std::size_t key_columns(const std::vector<std::vector<std::string>>& lines,
                        const std::vector<Column>& columns) {
  std::set<std::string> keys;
  for (std::size_t l = 2; l < lines.size(); ++l) keys.insert(cut(lines[l], 0, columns.front().end));
  return keys.size() + 2 == lines.size() || columns.size() < 3 ? 1 : 2;
}

/// A table in parts that are narrow enough.
std::string folded(const std::vector<std::vector<std::string>>& lines, const std::vector<Column>& columns,
                   std::size_t width) {
  std::string out;
  const std::size_t gap = 2, keys = key_columns(lines, columns), key_end = columns[keys - 1].end;
  for (std::size_t from = keys; from < columns.size();) {
    std::size_t to = from, used = key_end;
    while (to < columns.size() && (to == from || used + gap + columns[to].end - columns[to].begin <= width))
      used += gap + columns[to].end - columns[to].begin, ++to;
    if (from > keys) out += "\n";
    const bool last = to == columns.size();
    for (std::size_t l = 0; l < lines.size(); ++l) {
      const std::vector<std::string>& line = lines[l];
      std::string row = cut(line, 0, key_end);
      const std::size_t shown = characters(row).size();
      // Text in the last column may reach beyond its rule.
      const std::string rest = cut(line, columns[from].begin, last ? line.size() : columns[to].begin - gap);
      if (!rest.empty()) row += std::string(key_end + gap - shown, ' ') + rest;
      const std::size_t text_begin = key_end + gap + columns[to - 1].begin - columns[from].begin;
      out += l == 1 ? row + "\n" : broken(row, width, std::min(text_begin, width / 2));
    }
    from = to;
  }
  return out;
}

std::string fitted_line(const std::vector<std::string>& line, std::size_t width) {
  const std::string text = cut(line, 0, line.size());
  const std::size_t first_word = std::min(text.find_first_not_of(' '), text.size());
  const bool equation = text.find(" = ") == text.find(' ', first_word);
  if (line.size() <= width || equation || text.rfind("next: ", 0) == 0) return text + "\n";
  const std::size_t indent = first_word + (text.rfind("note: ", 0) == 0 ? 6 : 2);
  return broken(text, width, std::min(indent, width / 2));
}

}  // namespace

std::string fitted_to(const std::string& text, int width) {
  constexpr int least = 20;
  if (width < least) return text;
  std::vector<std::vector<std::string>> lines;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    lines.push_back(characters(text.substr(at, end - at)));
    at = end + 1;
  }
  std::string out;
  const auto wide = std::size_t(width);
  for (std::size_t i = 0; i < lines.size();) {
    const std::vector<Column> columns =
        i + 1 < lines.size() ? columns_of(lines[i + 1]) : std::vector<Column>();
    if (columns.size() < 2) {
      out += fitted_line(lines[i++], wide);
      continue;
    }
    std::size_t end = i + 2;
    while (end < lines.size() && is_row(lines[end], columns)) ++end;
    const std::vector<std::vector<std::string>> table(lines.begin() + std::ptrdiff_t(i),
                                                      lines.begin() + std::ptrdiff_t(end));
    out += folded(table, columns, wide);
    i = end;
  }
  if (!text.empty() && text.back() != '\n') out.pop_back();
  return out;
}

}  // namespace renth
