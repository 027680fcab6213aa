#include <renth/base/text.hpp>
#include <renth/report/escape.hpp>

namespace renth {

std::string escaped_html(const std::string& text) {
  std::string out;
  for (const char c : valid_utf8(text)) {
    if (c == '&')
      out += "&amp;";
    else if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else if (c == '"')
      out += "&quot;";
    else if (static_cast<unsigned char>(c) < 32 && c != '\n' && c != '\t')
      out += ' ';
    else
      out += c;
  }
  return out;
}

}  // namespace renth
