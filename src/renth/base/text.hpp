// Text that comes from elsewhere: made valid, safe to print, and short.
#pragma once
#include <string>
#include <string_view>

namespace renth {

/// The same text with a U+FFFD for every byte that is no part of a character in UTF-8 (as Unicode 15.0,
/// section 3.9, table 3-7 has it: no overlong forms, no surrogates, nothing above U+10FFFF).
std::string valid_utf8(std::string_view text);
bool is_valid_utf8(std::string_view text);

/// The same text with a visible sign for every control character but line feed and tab: nothing in it can
/// move a terminal's cursor, change its colours or its title. U+001B becomes ␛.
std::string without_controls(std::string_view text);

/// Is this a further byte of a character in UTF-8, and not its first?
constexpr bool continues_character(char c) {
  return (static_cast<unsigned char>(c) & 0xc0U) == 0x80U;
}

/// At most `most` bytes of a text, cut between two characters, and then an ellipsis.
std::string shortened(std::string_view text, std::size_t most);

/// Of a long text what stands round a place in it, for messages.
std::string around(std::string_view text, std::size_t at);

/// Are brackets and braces of a JSON text, outside its strings, in one another more than `most` deep?
bool nested_deeper(std::string_view json, int most);
/// How deep a JSON text from elsewhere may be nested: what reads it further on calls itself.
inline constexpr int most_nested_json = 200;

}  // namespace renth
