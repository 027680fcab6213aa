#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/text.hpp>
#include <renth/document/text_table.hpp>
#include <renth/space/shown.hpp>

namespace renth {
namespace {

constexpr int most_decimals = 9;  // what needs more is written with an exponent

/// Characters, not bytes, so that ² and – do not push columns about.
std::size_t width(const std::string& text) {
  return text.size() - static_cast<std::size_t>(std::count_if(text.begin(), text.end(), continues_character));
}
std::string pad(const std::string& text, std::size_t to, bool right) {
  const std::string space(to > width(text) ? to - width(text) : 0, ' ');
  return right ? space + text : text + space;
}

}  // namespace

std::string fixed(double value, int decimals) {
  const std::string text = fmt::format("{:.{}f}", value, decimals);
  return text[0] == '-' && text.find_first_not_of("-0.") == std::string::npos ? text.substr(1) : text;
}

std::string pretty(double value, int digits) {
  if (std::isnan(value)) return "–";
  if (value == 0) return "0";
  const double size = std::abs(value);
  if (size >= 1e7 || size < 1e-4) return fmt::format("{:.{}e}", value, digits - 1);
  const int decimals = std::min(decimals_of(size, digits), most_decimals);
  std::string text = fmt::format("{:.{}f}", value, decimals);
  if (text.find('.') != std::string::npos) {
    text.erase(text.find_last_not_of('0') + 1);
    if (text.back() == '.') text.pop_back();
  }
  return text;
}

int deserved_decimals(double value, double standard_error, int digits) {
  // Less than rounding leaves of a double is not an error.
  const bool known = standard_error > 1e-12 * std::abs(value);
  constexpr int most_digits = 6;  // more are not read, however well they are known
  if (known)
    return std::min(decimals_of(standard_error, 2),
                    decimals_of(std::max(std::abs(value), standard_error), most_digits));
  return value == std::floor(value) ? 0 : decimals_of(std::abs(value), digits);
}

TextTable& TextTable::text(std::string value) {
  columns_[next_++].cells.push_back({std::move(value), {}, std::nullopt});
  return *this;
}
TextTable& TextTable::number(double value, int digits, std::optional<int> decimals) {
  columns_[next_].digits = digits;
  columns_[next_++].cells.push_back({"", {value}, decimals});
  return *this;
}
TextTable& TextTable::interval(double low, double high, int digits, std::optional<int> decimals) {
  if (!std::isfinite(low)) return text("undefined");
  columns_[next_].digits = digits;
  columns_[next_++].cells.push_back({"", {low, high}, decimals});
  return *this;
}

namespace {

/// Blanks stand for the decimals that others have.
std::string aligned(double value, int decimals, int most, int digits) {
  if (std::isnan(value)) return "–";
  if (std::abs(value) >= 1e7 || decimals > most_decimals) return fmt::format("{:.{}e}", value, digits - 1);
  const int missing = most - decimals + (decimals == 0 && most > 0 ? 1 : 0);
  return fixed(value, decimals) + std::string(std::size_t(std::max(0, missing)), ' ');
}

}  // namespace

std::vector<std::string> TextTable::Column::shown() const {
  double largest = 0;
  bool whole = true;
  for (const Cell& cell : cells)
    for (const double v : cell.numbers)
      if (std::isfinite(v) && !cell.decimals) {
        largest = std::max(largest, std::abs(v));
        whole = whole && v == std::floor(v);
      }
  const int shared = whole ? 0 : decimals_of(largest, digits);
  int most = 0;
  for (const Cell& cell : cells)
    if (!cell.numbers.empty() && std::isfinite(cell.numbers[0]))
      most = std::max(most, std::min(cell.decimals.value_or(shared), most_decimals));
  std::vector<std::string> low, high;
  std::size_t low_width = 0, high_width = 0;
  for (const Cell& cell : cells) {
    const auto end = [&](std::size_t i) {
      return i < cell.numbers.size() ? aligned(cell.numbers[i], cell.decimals.value_or(shared), most, digits)
                                     : "";
    };
    low.push_back(cell.numbers.empty() ? cell.text : end(0));
    high.push_back(end(1));
    if (cell.numbers.size() == 2) low_width = std::max(low_width, width(low.back()));
    high_width = std::max(high_width, width(high.back()));
  }
  for (std::size_t i = 0; i < cells.size(); ++i)
    if (cells[i].numbers.size() == 2)
      low[i] = pad(low[i], low_width, true) + " … " + pad(high[i], high_width, true);
  return low;
}

Cells TextTable::cells() const {
  Cells out;
  out.header = header_;
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    const std::vector<std::string> shown = columns_[c].shown();
    out.rows.resize(std::max(out.rows.size(), shown.size()), std::vector<std::string>(columns_.size()));
    for (std::size_t r = 0; r < shown.size(); ++r) out.rows[r][c] = shown[r];
    out.numeric.push_back(std::any_of(columns_[c].cells.begin(), columns_[c].cells.end(),
                                      [](const Cell& cell) { return !cell.numbers.empty(); }));
  }
  return out;
}

std::string TextTable::str() const {
  const Cells shown = cells();
  std::vector<std::size_t> widths;
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    std::size_t widest = width(header_[c]);
    for (const auto& row : shown.rows) widest = std::max(widest, width(row[c]));
    widths.push_back(widest);
  }
  const auto line = [&](const std::vector<std::string>& row) {
    std::string out = " ";
    for (std::size_t c = 0; c < widths.size(); ++c)
      out += " " + pad(row[c], widths[c], shown.numeric[c]) + " ";
    out.erase(out.find_last_not_of(' ') + 1);
    return out + "\n";
  };
  std::string out = line(header_);
  // One long text at the end does not make the rule wrap.
  constexpr std::size_t longest_end = 40;
  for (std::size_t c = 0; c < widths.size(); ++c) {
    const bool long_end = c + 1 == widths.size() && !shown.numeric[c];
    out += "  ";
    for (std::size_t i = 0; i < (long_end ? std::min(widths[c], longest_end) : widths[c]); ++i) out += "─";
  }
  out += "\n";
  for (const auto& row : shown.rows) out += line(row);
  return out;
}

}  // namespace renth
