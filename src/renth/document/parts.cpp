#include <fmt/format.h>

#include <renth/document/parts.hpp>
#include <renth/document/wording.hpp>
#include <renth/solver/shell.hpp>

namespace renth {

std::string notes_of(const Notes& notes) {
  std::string out;
  for (const Note& n : notes) out += "note: " + in_options(n.text) + "\n";
  return out;
}

const Response& response_of(const Problem& problem, const std::string& name) {
  return problem.responses[std::size_t(problem.response(name))];
}

std::string shortened(const std::string& text, std::size_t most) {
  if (text.size() <= most) return text;
  std::size_t end = most - 3;
  while (end > 0 && (static_cast<unsigned char>(text[end]) & 0xc0) == 0x80) --end;
  return text.substr(0, end) + "…";
}

std::string count_of(int n, const char* one) {
  return fmt::format("{} {}{}", n, one, n == 1 ? "" : "s");
}

std::string as_typed(const std::vector<std::string>& words) {
  std::string out;
  for (const std::string& w : words) {
    const bool plain = !w.empty() && w.find_first_of(" \t\n'\"\\$&|;<>()*?[]#~`") == std::string::npos;
    out += (out.empty() ? "" : " ") + (plain ? w : shell_quoted(w));
  }
  return out;
}

}  // namespace renth
