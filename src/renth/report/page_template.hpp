// The live page as it was built, without a study.
#pragma once
#include <string_view>

namespace renth {

/// HTML with @TITLE@, @STUDY@ (JSON) and @CONNECT@ (where a served page may ask) to be filled in; empty: this
/// renth was built without emscripten or npm.
std::string_view page_template();

}  // namespace renth
