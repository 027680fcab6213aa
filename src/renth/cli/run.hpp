// The whole tool as one call.
#pragma once
#include <string>
#include <vector>

namespace renth::cli {

/// Carries out one command, its words without the program's name. \returns  the exit status.
int run(const std::vector<std::string>& words);

}  // namespace renth::cli
