// Bytes as text (RFC 4648, section 4).
#pragma once
#include <string>
#include <string_view>

namespace renth {

std::string to_base64(std::string_view bytes);
/// \throws Error  a character outside the alphabet, or a length that is no multiple of four.
std::string from_base64(std::string_view text);

}  // namespace renth
