#include <renth/base/text.hpp>
#include <renth/export/comment_text.hpp>

namespace renth {

std::string comment_text(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (!out.empty() && ((c == '/' && out.back() == '*') || (c == '*' && out.back() == '/'))) out += ' ';
    out += c == '\n' || c == '\t' ? ' ' : c;
  }
  return without_controls(out);
}

}  // namespace renth
