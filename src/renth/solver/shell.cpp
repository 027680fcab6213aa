#include <renth/solver/shell.hpp>

namespace renth {

std::string shell_quoted(const std::string& word) {
  std::string out = "'";
  for (const char c : word) out += c == '\'' ? "'\\''" : std::string(1, c);
  return out + "'";
}

}  // namespace renth
