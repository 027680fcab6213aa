// Words as a POSIX shell takes them.
#pragma once
#include <string>

namespace renth {

/// In single quotes, whatever is in it.
std::string shell_quoted(const std::string& word);

}  // namespace renth
