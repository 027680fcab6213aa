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

std::string next_step(const std::string& command, const std::string& remark) {
  return "next: " + command + (remark.empty() ? "" : "   # " + remark) + "\n";
}

std::string in_study(const std::string& text, const std::string& option) {
  constexpr std::string_view head = "next: ", tool = "renth ";
  if (option.empty()) return text;
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size() - 1) + 1;
    std::string line = text.substr(at, end - at);
    at = end;
    const bool study_named = line.find(" -s ") != line.npos || line.find(" --study") != line.npos;
    if (line.rfind(head, 0) == 0 && !study_named) {
      const std::size_t remark = std::min(line.find("   # "), line.size());
      for (std::size_t found = line.rfind(tool, remark); found != line.npos && found >= head.size();
           found = line.rfind(tool, found - 1))
        if (line[found - 1] == ' ') line.insert(found + tool.size(), option + " ");
    }
    out += line;
  }
  return out;
}

std::string exact_settings(const Space& space, const Eigen::VectorXd& point) {
  std::string out;
  for (Eigen::Index j = 0; j < space.size(); ++j) {
    const Parameter& p = space[j];
    out += (j > 0 ? "," : "") + p.name + "=" +
           (p.is_choice() ? p.choices[std::size_t(point[j])] : fmt::format("{}", point[j]));
  }
  return out;
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
