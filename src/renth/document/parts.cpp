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
