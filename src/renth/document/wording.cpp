#include <algorithm>
#include <renth/document/wording.hpp>

namespace renth {

std::string in_options(std::string_view text) {
  std::string out;
  for (;;) {
    const std::size_t open = text.find('`');
    const std::size_t close = open == text.npos ? text.npos : text.find('`', open + 1);
    if (close == text.npos) return out.append(text);
    const std::string_view inside = text.substr(open + 1, close - open - 1);
    const std::size_t equals = std::min(inside.find('='), inside.size());
    const std::string_view name = inside.substr(0, equals);
    const bool field = !name.empty() && std::all_of(name.begin(), name.end(), [](char c) {
      return (c >= 'a' && c <= 'z') || c == '-' || c == '_';
    });
    if (!field) {
      out.append(text.substr(0, close));  // what closes here may open the next
      text.remove_prefix(close);
      continue;
    }
    out.append(text.substr(0, open)).append("--");
    for (const char c : name) out += c == '_' ? '-' : c;
    if (equals < inside.size()) out.append(" ").append(inside.substr(equals + 1));
    text.remove_prefix(close + 1);
  }
}

}  // namespace renth
