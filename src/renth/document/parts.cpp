#include <fmt/format.h>

#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/solver/shell.hpp>

namespace renth {

std::string notes_of(const Notes& notes) {
  std::string out;
  for (const Note& n : notes) out += "note: " + n.text + "\n";
  return out;
}

std::vector<std::string> parameter_headers(const Study& study) {
  std::vector<std::string> out;
  for (const Parameter& p : study.space.parameters()) out.push_back(with_unit(p.name, p.unit));
  return out;
}
void add_point(TextTable& table, const Study& study, const Eigen::VectorXd& point) {
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    const Parameter& p = study.space[j];
    p.is_choice() ? table.text(p.choices[static_cast<std::size_t>(point[j])]) : table.number(point[j], 5);
  }
}

std::string interval(double low, double high) {
  return std::isfinite(low) ? fmt::format("{} … {}", pretty(low), pretty(high)) : "undefined";
}
const Response& response_of(const Study& study, const std::string& name) {
  return study.responses[study.response(name)];
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
