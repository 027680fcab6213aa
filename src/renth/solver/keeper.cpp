#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstring>
#include <fstream>
#include <renth/base/error.hpp>
#include <renth/solver/keeper.hpp>
#include <renth/solver/keeper_messages.hpp>
#include <set>
#include <utility>

extern char** environ;

namespace renth {
namespace {

namespace m = keeper_messages;

[[noreturn]] void fail(const std::string& doing, const std::filesystem::path& folder) {
  throw Error(fmt::format("cannot {} ({})", doing, std::strerror(errno)), folder.string(),
              "look at the machine's limits, then run again; nothing is lost", ErrorKind::machine);
}

/// The study's folder by its number on the disk, so that it does not depend on how it is called.
std::string name_of(int folder) {
  struct stat info {};
  fstat(folder, &info);
  return fmt::format("renth-keeper-{}-{}-{}", geteuid(), info.st_dev, info.st_ino);
}

int open_folder(const std::filesystem::path& folder) {
  const int fd = open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (fd < 0) fail("open the study's folder", folder);
  return fd;
}

/// Connects to a living keeper; −1 if there is none of ours.
int connect_to(const std::string& name) {
  const int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
  sockaddr_un address{};
  const socklen_t size = keeper_address(name, address);
  ucred who{};
  socklen_t who_size = sizeof who;
  if (fd >= 0 && connect(fd, reinterpret_cast<sockaddr*>(&address), size) == 0 &&
      getsockopt(fd, SOL_SOCKET, SO_PEERCRED, &who, &who_size) == 0 && who.uid == geteuid())
    return fd;
  if (fd >= 0) close(fd);
  return -1;
}

}  // namespace

socklen_t keeper_address(const std::string& name, sockaddr_un& address) {
  address.sun_family = AF_UNIX;  // a zero in front: a name that goes with the last process that has it
  std::memcpy(address.sun_path + 1, name.data(), std::min(name.size(), sizeof address.sun_path - 1));
  return static_cast<socklen_t>(offsetof(sockaddr_un, sun_path) + 1 + name.size());
}

std::optional<Keeper> Keeper::find(const std::filesystem::path& folder) {
  const int study = open_folder(folder);
  const int fd = connect_to(name_of(study));
  close(study);
  if (fd < 0) return std::nullopt;
  Keeper out;
  out.socket_ = fd;
  out.send(m::hello, {m::protocol});
  // Its answer, or its end: it may be leaving just now. What runs, and what ended before it read our
  // greeting, is told ahead of the answer and stays for events().
  std::size_t at = 0, begin = 0;
  std::optional<m::Message> message;
  while (!(message = m::unpack(out.received_, at)) || message->type != m::welcome) {
    begin = at;
    if (message) continue;
    char bytes[65536];
    const ssize_t n = recv(fd, bytes, sizeof bytes, 0);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return std::nullopt;
    out.received_.append(bytes, static_cast<std::size_t>(n));
  }
  if (message->fields.at(0) != m::protocol)
    throw Error("solvers of another version of renth are still running", folder.string(),
                fmt::format("wait until they have ended, or end them: kill {}", message->fields.at(1)),
                ErrorKind::machine);
  out.pid_ = static_cast<pid_t>(std::stol(message->fields.at(1)));
  out.received_.erase(begin, at - begin);
  return out;
}

Keeper::Keeper(const std::filesystem::path& folder, const CallLimits& limits,
               const std::map<std::string, std::string>& environment) {
  if (auto alive = find(folder)) {
    std::swap(socket_, alive->socket_);
    pid_ = alive->pid_;
    received_ = std::move(alive->received_);
  } else {
    const int study = open_folder(folder);
    const std::string name = name_of(study);
    boot_id();  // read before the fork
    int ends[2];
    if (socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0) fail("make a socket", folder);
    for (int& end : ends)
      if (end < 3) end = fcntl(end, F_DUPFD_CLOEXEC, 3);  // started without standard streams
    pid_ = fork();
    if (pid_ == 0) keep(ends[1], name, study);
    close(ends[1]);
    close(study);
    socket_ = ends[0];
    if (pid_ < 0) fail("start a process", folder);
    child_ = true;
  }
  configure(limits, environment);
}

Keeper::Keeper(Keeper&& other) noexcept
    : socket_(std::exchange(other.socket_, -1)),
      pid_(other.pid_),
      child_(std::exchange(other.child_, false)),
      received_(std::move(other.received_)),
      unsent_(std::move(other.unsent_)) {}

Keeper::~Keeper() {
  if (socket_ >= 0) close(socket_);
  if (!child_) return;
  // It leaves at once if nothing runs in it any more; then there is no zombie of it.
  const int fd = static_cast<int>(syscall(SYS_pidfd_open, pid_, 0));
  pollfd on{fd, POLLIN, 0};
  poll(&on, 1, 100);
  if (fd >= 0) close(fd);
  waitpid(pid_, nullptr, WNOHANG);
}

void Keeper::configure(const CallLimits& limits, const std::map<std::string, std::string>& environment) {
  std::vector<std::string> fields = {std::to_string(limits.jobs), fmt::format("{}", limits.timeout),
                                     std::to_string(limits.memory), std::to_string(limits.file_size)};
  for (char** e = environ; *e; ++e) {
    const std::string_view word = *e;
    const std::string key(word.substr(0, word.find('=')));
    if (!word.empty() && environment.count(key) == 0 && key != "RENTH_FOLDER") fields.emplace_back(word);
  }
  for (const auto& [key, value] : environment) fields.push_back(key + "=" + value);
  send(m::settings, fields);
}

void Keeper::start(const std::filesystem::path& folder, const std::vector<std::string>& command) {
  std::vector<std::string> fields = {folder.string()};
  fields.insert(fields.end(), command.begin(), command.end());
  unsent_ += m::pack(m::start, fields);
}
void Keeper::drop_waiting() {
  send(m::drop, {});
}
void Keeper::end_all() {
  send(m::end_all, {});
}

void Keeper::send(char type, const std::vector<std::string>& fields) {
  unsent_ += m::pack(type, fields);
  flush();
}

void Keeper::flush() {
  for (std::size_t at = 0; at < unsent_.size();) {
    const ssize_t n = ::send(socket_, unsent_.data() + at, unsent_.size() - at, MSG_NOSIGNAL);
    if (n > 0)
      at += static_cast<std::size_t>(n);
    else if (errno != EINTR)
      break;  // it has ended; events() tells
  }
  unsent_.clear();
}

std::vector<KeeperEvent> Keeper::events() {
  std::vector<KeeperEvent> out;
  bool lost = false;
  for (char bytes[65536];;) {
    const ssize_t n = recv(socket_, bytes, sizeof bytes, MSG_DONTWAIT);
    if (n > 0) {
      received_.append(bytes, static_cast<std::size_t>(n));
      continue;
    }
    if (n < 0 && errno == EINTR) continue;
    lost = n == 0 || errno != EAGAIN;
    break;
  }
  std::size_t at = 0;
  while (auto message = m::unpack(received_, at)) {
    using What = KeeperEvent::What;
    KeeperEvent e;
    e.folder = message->fields.at(0);
    e.what = message->type == m::ended     ? What::ended
             : message->type == m::running ? What::running
                                           : What::dropped;
    if (e.what == What::ended)
      e.outcome = outcome_of_line(message->fields.at(1)).value_or(Outcome{Outcome::How::stopped});
    out.push_back(std::move(e));
  }
  received_.erase(0, at);
  if (lost) out.push_back({KeeperEvent::What::lost, "", {}});
  return out;
}

int end_orphans(const std::vector<std::filesystem::path>& folders) {
  std::set<std::string> marks;
  for (const auto& folder : folders) marks.insert("RENTH_FOLDER=" + folder.string());
  std::set<std::string> ended;  // one that is slow to go is met again
  bool found = !marks.empty();
  for (int round = 0; round < 50 && found; ++round) {
    found = false;
    std::error_code error;
    for (const auto& entry : std::filesystem::directory_iterator("/proc", error)) {
      const std::string pid = entry.path().filename().string();
      if (pid.find_first_not_of("0123456789") != std::string::npos || std::stol(pid) == getpid()) continue;
      std::ifstream in(entry.path() / "environ", std::ios::binary);
      for (std::string one; std::getline(in, one, '\0');)
        if (marks.count(one) > 0) {
          if (kill(static_cast<pid_t>(std::stol(pid)), SIGKILL) == 0) ended.insert(pid), found = true;
          break;
        }
    }
    if (found) usleep(20'000);  // until their places in the table are empty
  }
  return static_cast<int>(ended.size());
}

}  // namespace renth
