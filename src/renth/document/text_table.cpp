#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/text.hpp>
#include <renth/document/text_table.hpp>

namespace renth {
namespace {

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
  const int decimals = std::clamp(digits - 1 - static_cast<int>(std::floor(std::log10(size))), 0, 9);
  std::string text = fmt::format("{:.{}f}", value, decimals);
  if (text.find('.') != std::string::npos) {
    text.erase(text.find_last_not_of('0') + 1);
    if (text.back() == '.') text.pop_back();
  }
  return text;
}

TextTable& TextTable::text(std::string value) {
  columns_[next_++].cells.push_back({std::move(value), 0, false});
  return *this;
}
TextTable& TextTable::number(double value, int digits) {
  columns_[next_].digits = digits;
  columns_[next_++].cells.push_back({"", value, true});
  return *this;
}

std::string TextTable::str() const {
  std::vector<std::vector<std::string>> shown(columns_.size());
  std::vector<std::size_t> widths;
  std::vector<bool> right;
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    double most = 0;
    bool numbers = false, whole = true;
    for (const Cell& cell : columns_[c].cells) {
      numbers = numbers || cell.is_number;
      if (cell.is_number && std::isfinite(cell.number)) {
        most = std::max(most, std::abs(cell.number));
        whole = whole && cell.number == std::floor(cell.number);
      }
    }
    const bool wild = most >= 1e7 || (most > 0 && most < 1e-4);
    const int decimals =
        whole || most == 0
            ? 0
            : std::clamp(columns_[c].digits - 1 - static_cast<int>(std::floor(std::log10(most))), 0, 8);
    std::size_t widest = width(header_[c]);
    for (const Cell& cell : columns_[c].cells) {
      std::string text = cell.text;
      if (cell.is_number)
        text = std::isnan(cell.number) ? "–"
               : wild                  ? fmt::format("{:.{}e}", cell.number, columns_[c].digits - 1)
                                       : fixed(cell.number, decimals);
      widest = std::max(widest, width(text));
      shown[c].push_back(std::move(text));
    }
    widths.push_back(widest);
    right.push_back(numbers);
  }
  const auto line = [&](const auto& cell) {
    std::string out = " ";
    for (std::size_t c = 0; c < columns_.size(); ++c) out += " " + pad(cell(c), widths[c], right[c]) + " ";
    out.erase(out.find_last_not_of(' ') + 1);
    return out + "\n";
  };
  std::string out = line([&](std::size_t c) { return header_[c]; });
  std::size_t total = 0;
  for (const std::size_t w : widths) total += w + 2;
  // One long text at the end does not make the rule wrap.
  if (!right.empty() && !right.back()) total -= widths.back() - std::min<std::size_t>(widths.back(), 40);
  for (std::size_t i = 0; i < total; ++i) out += i == 0 ? "  ─" : "─";
  out += "\n";
  for (std::size_t r = 0; r < shown[0].size(); ++r) out += line([&](std::size_t c) { return shown[c][r]; });
  return out;
}

}  // namespace renth
