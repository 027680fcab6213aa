// The folder of a study that is about to be made.
#pragma once
#include <filesystem>

namespace renth {

/// Makes it. \throws Error  there is a study already; it cannot be made.
void new_folder(const std::filesystem::path& folder);

}  // namespace renth
