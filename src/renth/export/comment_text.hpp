// What is quoted in the comments of files for other programs.
#pragma once
#include <string>
#include <string_view>

namespace renth {

/// The text on one line, without what would end a comment in C.
std::string comment_text(std::string_view text);

}  // namespace renth
