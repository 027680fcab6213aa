#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <renth/base/error.hpp>
#include <renth/table/whole_file.hpp>
#include <sstream>

namespace renth {
namespace {

namespace fs = std::filesystem;

/// Opens, lets write, and says whether all of it went.
bool written(const fs::path& file, const std::function<void(std::ostream&)>& write) {
  std::ofstream out(file, std::ios::binary);
  write(out);
  out.close();
  return bool(out);
}

/// Where the links lead to in the end, also if nothing is there yet.
fs::path behind_links(fs::path file) {
  std::error_code error;
  for (int followed = 0; followed < 40 && fs::is_symlink(file, error); ++followed) {
    const fs::path to = fs::read_symlink(file, error);
    if (error) break;
    file = file.parent_path() / to;  // an absolute one replaces all
  }
  return file;
}

}  // namespace

void write_whole_file(const std::string& file, const std::function<void(std::ostream&)>& write,
                      const WritingTrouble& trouble) {
  const auto fail = [&] { throw Error(trouble.what, file, trouble.remedy, ErrorKind::machine); };
  std::error_code error;
  if (fs::exists(file, error) && !fs::is_regular_file(file, error)) {
    if (!written(file, write)) fail();
    return;
  }
  const fs::path target = behind_links(file);
  const fs::path beside = target.string() + ".part" + std::to_string(getpid());
  try {
    if (!written(beside, write)) fail();
    fs::rename(beside, target, error);
    if (error) fail();
  } catch (...) {
    fs::remove(beside, error);
    throw;
  }
}

void write_whole_file(const std::string& file, std::string_view content, const WritingTrouble& trouble) {
  write_whole_file(
      file, [&](std::ostream& out) { out.write(content.data(), std::streamsize(content.size())); }, trouble);
}

std::string read_whole_file(const std::string& file, const std::string& what, const std::string& remedy) {
  std::ifstream in(file, std::ios::binary);
  if (!in || fs::is_directory(file)) throw Error(what, file, remedy);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

}  // namespace renth
