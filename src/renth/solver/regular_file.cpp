#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <renth/solver/regular_file.hpp>

namespace renth {

RegularFile::RegularFile(const std::filesystem::path& path) {
  struct stat is {};
  // Not to open what is no file: opening a device can do something.
  if (stat(path.c_str(), &is) != 0) return;
  other_ = !S_ISREG(is.st_mode);
  if (other_) return;
  fd_ = open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
  if (fd_ < 0) return;
  if (fstat(fd_, &is) == 0 && S_ISREG(is.st_mode)) {
    size_ = static_cast<std::uint64_t>(is.st_size);
    return;
  }
  other_ = true;  // it became something else meanwhile
  close(fd_);
  fd_ = -1;
}

RegularFile::~RegularFile() {
  if (fd_ >= 0) close(fd_);
}

std::string RegularFile::read(std::uint64_t from, std::uint64_t count) const {
  std::string out(std::min(count, size_ - std::min(from, size_)), '\0');
  std::size_t got = 0;
  while (fd_ >= 0 && got < out.size()) {
    const ssize_t n = pread(fd_, out.data() + got, out.size() - got, static_cast<off_t>(from + got));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) break;
    got += static_cast<std::size_t>(n);
  }
  out.resize(got);
  return out;
}

}  // namespace renth
