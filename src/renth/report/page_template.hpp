// The live page as it was built, without a study.
#pragma once
#include <string>

namespace renth {

/// The file with it, which lies where modules do.
constexpr const char* page_template_file = "renth-page.html";

/// HTML with @TITLE@, @STUDY@ (JSON) and @CONNECT@ (where a served page may ask) to be filled in.
/// \throws Error  this renth was built without it: without emscripten or npm.
std::string page_template();

}  // namespace renth
