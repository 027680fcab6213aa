// Files written and read as a whole.
#pragma once
#include <functional>
#include <ostream>
#include <string>
#include <string_view>

namespace renth {

/// Writes beside the file and then puts it in its place: what was there before stays until all is on the
/// disk. \throws Error (machine)  it cannot be written.
void write_whole_file(const std::string& file, std::string_view content);
/// The same, written bit by bit.
void write_whole_file(const std::string& file, const std::function<void(std::ostream&)>& write);

/// \throws Error  it cannot be read: with this remedy.
std::string read_whole_file(const std::string& file, const std::string& remedy);

}  // namespace renth
