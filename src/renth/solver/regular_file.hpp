// Files that a solver left in its run's folder, opened so that nothing it left there can hold us up.
#pragma once
#include <cstdint>
#include <filesystem>
#include <string>

namespace renth {

/// A regular file opened for reading. Anything else there – a pipe that nobody writes to, a device without an
/// end, a folder – counts as no file, and is never waited for.
class RegularFile {
 public:
  explicit RegularFile(const std::filesystem::path& path);
  ~RegularFile();
  RegularFile(const RegularFile&) = delete;
  RegularFile& operator=(const RegularFile&) = delete;

  explicit operator bool() const { return fd_ >= 0; }
  /// Is something there that is no regular file?
  bool other() const { return other_; }
  std::uint64_t size() const { return size_; }
  /// At most `count` bytes from `from` on; fewer where the file ends or cannot be read.
  std::string read(std::uint64_t from, std::uint64_t count) const;
  std::string read() const { return read(0, size_); }

 private:
  int fd_ = -1;
  bool other_ = false;
  std::uint64_t size_ = 0;
};

}  // namespace renth
