// A folder of our own for a while.
#pragma once
#include <filesystem>

namespace renth {

/// Made where temporary files go, and removed with all that is in it at the end.
class ScratchFolder {
 public:
  /// \throws Error (machine)  it cannot be made.
  ScratchFolder();
  ~ScratchFolder();
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

}  // namespace renth
