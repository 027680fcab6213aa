// What the core says in names of fields, said in the options of the tool.
#pragma once
#include <string>
#include <string_view>

namespace renth {

/// Fields stand in backquotes: "use `runs=24`, or a smaller `model`" becomes "use --runs 24, or a smaller
/// --model". Other text in backquotes stays as it is.
std::string in_options(std::string_view text);

}  // namespace renth
