#include <algorithm>
#include <cstdint>
#include <renth/base/text.hpp>
#include <renth/document/fitted_text.hpp>
#include <set>
#include <string_view>
#include <vector>

namespace renth {
namespace {

/// A line as characters, not bytes. The text stays where it is.
class Line {
 public:
  explicit Line(std::string_view text) : text_(text) {
    for (std::size_t i = 0; i < text.size(); ++i)
      if (i == 0 || !continues_character(text[i])) begins_.push_back(std::uint32_t(i));
  }
  std::size_t size() const { return begins_.size(); }
  std::string_view operator[](std::size_t i) const { return between(i, i + 1); }
  /// The characters from one place to before another, without blanks at the end.
  std::string cut(std::size_t from, std::size_t to) const {
    std::string out(from < std::min(to, size()) ? between(from, to) : std::string_view());
    out.erase(out.find_last_not_of(' ') + 1);
    return out;
  }

 private:
  std::string_view between(std::size_t from, std::size_t to) const {
    const std::size_t end = to < size() ? begins_[to] : text_.size();
    return text_.substr(begins_[from], end - begins_[from]);
  }
  std::string_view text_;
  std::vector<std::uint32_t> begins_;
};

/// A column of a table: where its characters stand.
struct Column {
  std::size_t begin, end;
};

/// The columns, if this is the rule under the header of a table; else nothing.
std::vector<Column> columns_of(const Line& rule) {
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
bool is_row(const Line& line, const std::vector<Column>& columns) {
  if (line.size() < 3 || line[0] != " " || line[1] != " ") return false;
  for (std::size_t c = 1; c < columns.size(); ++c)
    for (std::size_t i = columns[c - 1].end; i < std::min(columns[c].begin, line.size()); ++i)
      if (line[i] != " ") return false;
  return true;
}

/// Breaks a text between words; every line but the first begins with so many blanks.
std::string broken(std::string text, std::size_t width, std::size_t indent) {
  std::string out;
  for (std::size_t least = 1;; least = indent + 1) {
    const Line rest(text);
    if (rest.size() <= width) break;
    std::size_t at = width;
    while (at > least && rest[at] != " ") --at;
    // No blank but those that indent the line: the word is left whole.
    if (rest[at] != " " || rest.cut(0, at).empty()) {
      at = width;
      while (at < rest.size() && rest[at] != " ") ++at;
      if (at == rest.size()) break;
    }
    out += rest.cut(0, at) + "\n";
    while (at < rest.size() && rest[at] == " ") ++at;
    text = std::string(indent, ' ') + rest.cut(at, rest.size());
  }
  return out + text.substr(0, text.find_last_not_of(' ') + 1) + "\n";
}

/// How many of the first columns tell the rows from one another: one or two.
std::size_t key_columns(const std::vector<Line>& lines, const std::vector<Column>& columns) {
  std::set<std::string> keys;
  for (std::size_t l = 2; l < lines.size(); ++l) keys.insert(lines[l].cut(0, columns.front().end));
  return keys.size() + 2 == lines.size() || columns.size() < 3 ? 1 : 2;
}

/// A table in parts that are narrow enough.
std::string folded(const std::vector<Line>& lines, const std::vector<Column>& columns, std::size_t width) {
  std::string out;
  const std::size_t gap = 2, keys = key_columns(lines, columns), key_end = columns[keys - 1].end;
  for (std::size_t from = keys; from < columns.size();) {
    std::size_t to = from, used = key_end;
    while (to < columns.size() && (to == from || used + gap + columns[to].end - columns[to].begin <= width))
      used += gap + columns[to].end - columns[to].begin, ++to;
    if (from > keys) out += "\n";
    const bool last = to == columns.size();
    for (std::size_t l = 0; l < lines.size(); ++l) {
      const Line& line = lines[l];
      std::string row = line.cut(0, key_end);
      const std::size_t shown = Line(row).size();
      // Text in the last column may reach beyond its rule.
      const std::string rest = line.cut(columns[from].begin, last ? line.size() : columns[to].begin - gap);
      if (!rest.empty()) row += std::string(key_end + gap - shown, ' ') + rest;
      const std::size_t text_begin = key_end + gap + columns[to - 1].begin - columns[from].begin;
      out += l == 1 ? row + "\n" : broken(row, width, std::min(text_begin, width / 2));
    }
    from = to;
  }
  return out;
}

std::string fitted_line(std::string_view line, std::size_t width) {
  const std::string text = Line(line).cut(0, line.size());
  const std::size_t first_word = std::min(text.find_first_not_of(' '), text.size());
  const bool equation = text.find(" = ") == text.find(' ', first_word);
  if (Line(text).size() <= width || equation || text.rfind("next: ", 0) == 0) return text + "\n";
  const std::size_t indent = first_word + (text.rfind("note: ", 0) == 0 ? 6 : 2);
  return broken(text, width, std::min(indent, width / 2));
}

}  // namespace

std::string fitted_to(const std::string& text, int width) {
  constexpr int least = 20;
  if (width < least) return text;
  const std::string_view all = text;
  std::vector<std::string_view> lines;
  for (std::size_t at = 0; at < all.size();) {
    const std::size_t end = std::min(all.find('\n', at), all.size());
    lines.push_back(all.substr(at, end - at));
    at = end + 1;
  }
  std::string out;
  const auto wide = std::size_t(width);
  for (std::size_t i = 0; i < lines.size();) {
    const std::vector<Column> columns =
        i + 1 < lines.size() ? columns_of(Line(lines[i + 1])) : std::vector<Column>();
    if (columns.size() < 2) {
      out += fitted_line(lines[i++], wide);
      continue;
    }
    std::vector<Line> table = {Line(lines[i]), Line(lines[i + 1])};
    for (i += 2; i < lines.size(); ++i) {
      Line row(lines[i]);
      if (!is_row(row, columns)) break;
      table.push_back(std::move(row));
    }
    out += folded(table, columns, wide);
  }
  if (!text.empty() && text.back() != '\n') out.pop_back();
  return out;
}

}  // namespace renth
