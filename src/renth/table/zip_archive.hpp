// Archives of files (ZIP, ISO/IEC 21320-1): what a module writes of them.
#pragma once
#include <string>
#include <vector>

namespace renth {

struct ZipEntry {
  std::string name, bytes;
  bool executable = false;
};

/// What the module exports by `zip_symbol`: a function that returns what went wrong; empty: nothing.
using ZipWriter = std::string (*)(const std::vector<ZipEntry>& entries, std::string& out);
inline constexpr const char* zip_symbol = "renth_zip";

/// The bytes of an archive; the same files, the same bytes. \throws Error  there is no module.
std::string zip_archive(const std::vector<ZipEntry>& entries);

}  // namespace renth
