// Words of people in HTML.
#pragma once
#include <string>

namespace renth {

/// Text as it stands between tags or in a quoted attribute; what no document may hold becomes a blank.
std::string escaped_html(const std::string& text);

}  // namespace renth
