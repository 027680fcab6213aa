#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>
#include <renth/base/error.hpp>
#include <renth/running/run_lock.hpp>

namespace renth {

RunLock::RunLock(const std::filesystem::path& folder)
    : fd_(open((folder / "study.lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
  if (fd_ < 0 && (errno == EROFS || errno == EACCES))
    throw Error("the study may only be read here", folder.string(), "copy its folder to where you may write",
                ErrorKind::machine);
  if (fd_ < 0)
    throw Error("cannot write into the study's folder", folder.string(), "look at the disk",
                ErrorKind::machine);
  // A keeper that was just forked holds it with its parent for a moment, and beyond it if that is killed.
  for (int attempt = 0; attempt < 50; ++attempt) {
    if (flock(fd_, LOCK_EX | LOCK_NB) == 0) return;
    usleep(10'000);
  }
  close(fd_);
  throw Error("another renth is running this study", folder.string(),
              "wait until it is done, or stop it with Ctrl-C", ErrorKind::machine);
}

RunLock::~RunLock() {
  close(fd_);
}

}  // namespace renth
