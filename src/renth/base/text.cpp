#include <fmt/format.h>

#include <algorithm>
#include <renth/base/text.hpp>

namespace renth {
namespace {

constexpr std::string_view replacement = "\xef\xbf\xbd";

unsigned char byte(char c) {
  return static_cast<unsigned char>(c);
}

/// How many bytes the character has that begins here; 0 if none does.
std::size_t character_length(std::string_view text, std::size_t at) {
  const unsigned char first = byte(text[at]);
  if (first < 0x80) return 1;
  const std::size_t length = first < 0xc2 ? 0 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : first < 0xf5 ? 4 : 0;
  if (length == 0 || at + length > text.size()) return 0;
  const unsigned char second = byte(text[at + 1]);
  const unsigned char least = first == 0xe0 ? 0xa0 : first == 0xf0 ? 0x90 : 0x80;
  const unsigned char most = first == 0xed ? 0x9f : first == 0xf4 ? 0x8f : 0xbf;
  if (second < least || second > most) return 0;
  for (std::size_t i = 2; i < length; ++i)
    if (!continues_character(text[at + i])) return 0;
  return length;
}

}  // namespace

std::string valid_utf8(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t length = character_length(text, at);
    out.append(length == 0 ? replacement : text.substr(at, length));
    at += length == 0 ? 1 : length;
  }
  return out;
}

bool is_valid_utf8(std::string_view text) {
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t length = character_length(text, at);
    if (length == 0) return false;
    at += length;
  }
  return true;
}

std::string without_controls(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  for (std::size_t at = 0; at < text.size(); ++at) {
    const unsigned char c = byte(text[at]);
    if ((c < 0x20 && c != '\n' && c != '\t') || c == 0x7f) {
      // U+2400 … U+2421 are pictures of the control characters.
      out.append("\xe2\x90").push_back(static_cast<char>(c == 0x7f ? 0xa1 : 0x80 + c));
    } else if (c == 0xc2 && at + 1 < text.size() && byte(text[at + 1]) < 0xa0) {
      out += fmt::format("<U+00{:02X}>", byte(text[++at]));  // the second set of controls, U+0080 … U+009F
    } else {
      out.push_back(text[at]);
    }
  }
  return out;
}

std::string shortened(std::string_view text, std::size_t most) {
  if (text.size() <= most) return std::string(text);
  while (most > 0 && continues_character(text[most])) --most;
  return std::string(text.substr(0, most)) + "…";
}

std::string around(std::string_view text, std::size_t at) {
  constexpr std::size_t most = 120, before = 60;
  if (text.size() <= most) return std::string(text);
  std::size_t from = at > before ? at - before : 0, to = std::min(text.size(), from + most);
  while (from > 0 && continues_character(text[from])) --from;
  while (to < text.size() && continues_character(text[to])) ++to;
  return fmt::format("{}{}{}", from > 0 ? "… " : "", text.substr(from, to - from),
                     to < text.size() ? " …" : "");
}

bool nested_deeper(std::string_view json, int most) {
  int depth = 0;
  bool quoted = false;
  for (std::size_t at = 0; at < json.size(); ++at) {
    const char c = json[at];
    if (quoted) {
      if (c == '\\') ++at;
      quoted = c != '"';
    } else if (c == '"') {
      quoted = true;
    } else if (c == '[' || c == '{') {
      if (++depth > most) return true;
    } else if (c == ']' || c == '}') {
      --depth;
    }
  }
  return false;
}

}  // namespace renth
