// Settings and outputs as the store writes them: JSON, of which the usual forms are read without a parser.
#pragma once
#include <charconv>
#include <renth/store/store.hpp>
#include <string>
#include <string_view>

namespace renth {

/// Words as JSON; bytes that are no UTF-8 are replaced.
std::string words_to_text(const nlohmann::json& words);

std::string settings_to_text(const Settings& settings);
Settings settings_from_text(std::string_view text);

/// NaN, which JSON has not, is null: a missing axis point.
std::string output_to_text(const Output& output);
Output output_from_text(std::string_view text);

/// Reads "[1.5]"; false if the text is anything else.
bool read_single(std::string_view text, double& value);

/// Calls each(name, number, word, is_word) for every member of a flat object without spaces and escapes, as
/// settings nearly always are. False, perhaps after some calls, if the text is anything else.
template <class Each>
bool for_each_setting(std::string_view text, const Each& each) {
  const char *p = text.data(), *const end = p + text.size();
  const auto take = [&](char c) { return p < end && *p == c && (++p, true); };
  const auto word = [&](std::string_view& out) {
    if (!take('"')) return false;
    const char* begin = p;
    while (p < end && *p != '"' && *p != '\\') ++p;
    out = {begin, std::size_t(p - begin)};
    return take('"');
  };
  if (!take('{')) return false;
  if (take('}')) return p == end;
  do {
    std::string_view name, text_value;
    double number = 0;
    if (!word(name) || !take(':') || p >= end) return false;
    const bool is_word = *p == '"';
    if (is_word) {
      if (!word(text_value)) return false;
    } else {
      const auto [after, error] = std::from_chars(p, end, number);
      if (error != std::errc()) return false;
      p = after;
    }
    each(name, number, text_value, is_word);
  } while (take(','));
  return take('}') && p == end;
}

}  // namespace renth
