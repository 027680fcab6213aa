// Files written and read as a whole.
#pragma once
#include <functional>
#include <ostream>
#include <string>
#include <string_view>

namespace renth {

/// What is said of a file that cannot be written.
struct WritingTrouble {
  std::string what = "cannot write", remedy = "look at the folder's permissions and the disk";
};

/// Writes beside the file and then puts it in its place: what was there before stays until all is written.
/// What is no plain file, such as /dev/stdout, is written to as it is; a link stays one. \throws Error
/// (machine)  it cannot be written.
void write_whole_file(const std::string& file, std::string_view content, const WritingTrouble& trouble = {});
/// The same, written bit by bit.
void write_whole_file(const std::string& file, const std::function<void(std::ostream&)>& write,
                      const WritingTrouble& trouble = {});

/// \throws Error  it cannot be read, a folder for one: with these words.
std::string read_whole_file(const std::string& file, const std::string& what, const std::string& remedy);

}  // namespace renth
