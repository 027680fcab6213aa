// Text made smaller for a page.
#pragma once
#include <string>

namespace renth {

/// The text by gzip (RFC 1952) as base64; the same text gives the same bytes.
std::string packed(const std::string& text);

}  // namespace renth
