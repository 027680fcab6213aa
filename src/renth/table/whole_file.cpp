#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <renth/base/error.hpp>
#include <renth/table/whole_file.hpp>
#include <sstream>

namespace renth {

void write_whole_file(const std::string& file, const std::function<void(std::ostream&)>& write) {
  const std::string beside = file + ".part" + std::to_string(getpid());
  std::error_code error;
  const auto fail = [&] {
    std::filesystem::remove(beside, error);
    throw Error("cannot write", file, "look at the folder's permissions and the disk", ErrorKind::machine);
  };
  try {
    std::ofstream out(beside, std::ios::binary);
    write(out);
    out.close();
    if (!out) fail();
  } catch (...) {
    std::filesystem::remove(beside, error);
    throw;
  }
  std::filesystem::rename(beside, file, error);
  if (error) fail();
}

void write_whole_file(const std::string& file, std::string_view content) {
  write_whole_file(file,
                   [&](std::ostream& out) { out.write(content.data(), std::streamsize(content.size())); });
}

std::string read_whole_file(const std::string& file, const std::string& remedy) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream text;
  if (in) text << in.rdbuf();
  if (!in || std::filesystem::is_directory(file)) throw Error("cannot read", file, remedy);
  return text.str();
}

}  // namespace renth
