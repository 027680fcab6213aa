// Scratch folders, and files in them.
#pragma once
#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>

namespace renth::test {

inline std::string slurp(const std::filesystem::path& file) {
  std::ostringstream text;
  text << std::ifstream(file, std::ios::binary).rdbuf();
  return text.str();
}

/// A folder that goes with the test.
struct Scratch {
  std::filesystem::path path;
  Scratch() {
    std::string name = (std::filesystem::temp_directory_path() / "renth-test-XXXXXX").string();
    path = mkdtemp(name.data());
  }
  ~Scratch() { std::filesystem::remove_all(path); }
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;
  void write(const std::string& file, const std::string& text) const {
    std::filesystem::create_directories((path / file).parent_path());
    std::ofstream(path / file, std::ios::binary) << text;
  }
  std::string read(const std::string& file) const { return slurp(path / file); }
};

}  // namespace renth::test
