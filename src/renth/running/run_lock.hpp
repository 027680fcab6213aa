// One process at a time computes the runs of a study.
#pragma once
#include <filesystem>

namespace renth {

/// Held while runs are computed or taken in; let go by the system when the process ends, however it ends.
class RunLock {
 public:
  /// \throws Error (machine)  another process has it; the folder cannot be written to.
  explicit RunLock(const std::filesystem::path& folder);
  ~RunLock();
  RunLock(const RunLock&) = delete;
  RunLock& operator=(const RunLock&) = delete;
  int fd() const { return fd_; }

 private:
  int fd_;
};

}  // namespace renth
