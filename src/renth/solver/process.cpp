#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/file.h>
#include <sys/signalfd.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <ctime>
#include <fstream>
#include <renth/error.hpp>
#include <renth/solver/process.hpp>
#include <thread>

extern char** environ;

namespace renth {
namespace {

double now() {
  timespec t{};
  clock_gettime(CLOCK_MONOTONIC, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

/// Changes with every start of the machine.
std::string boot_id() {
  std::ifstream in("/proc/sys/kernel/random/boot_id");
  std::string id;
  in >> id;
  return id.empty() ? "unknown" : id;
}

/// Everything the keeper needs, made before the fork: after it only async-signal-safe calls.
struct Keeper {
  std::vector<char*> argv;
  const char* folder;
  const char* boot;
  double timeout;
  int lock;
  sigset_t old_mask;

  [[noreturn]] void run() const {
    setsid();
    // Nothing of the parent's stays open: no lock, no store, no pipe of its terminal.
    const unsigned own = static_cast<unsigned>(lock);
    if (own > 3) syscall(SYS_close_range, 3U, own - 1, 0U);
    syscall(SYS_close_range, own + 1, ~0U, 0U);
    const int nowhere = open("/dev/null", O_RDWR);
    for (int fd = 0; fd < 3 && nowhere >= 0; ++fd) dup2(nowhere, fd);
    if (nowhere > 2) close(nowhere);
    sigset_t watched;
    sigemptyset(&watched);
    sigaddset(&watched, SIGTERM);
    sigaddset(&watched, SIGCHLD);
    sigprocmask(SIG_SETMASK, &watched, nullptr);
    signal(SIGINT, SIG_IGN);
    signal(SIGPIPE, SIG_IGN);
    const int signals = signalfd(-1, &watched, SFD_CLOEXEC);
    char pid_text[32];
    const int length = std::snprintf(pid_text, sizeof pid_text, "%d\n", static_cast<int>(getpid()));
    if (pwrite(lock, pid_text, static_cast<std::size_t>(length), 0) != length || chdir(folder) != 0) _exit(1);

    const double begin = now();
    pid_t solver = 0;
    const int failed = spawn(solver);
    if (failed != 0) finish("not_started", failed, 0);
    const char* how = nullptr;
    double deadline = timeout > 0 ? begin + timeout : INFINITY;
    int status = 0;
    for (;;) {
      const double left = deadline - now();
      pollfd wait{signals, POLLIN, 0};
      const int pause = std::isinf(left) ? -1
                        : left > 2e6     ? 2'000'000'000
                        : left > 0       ? static_cast<int>(std::ceil(1000 * left))
                                         : 0;
      poll(&wait, 1, pause);
      signalfd_siginfo info{};
      bool stop = false;
      if (wait.revents & POLLIN && read(signals, &info, sizeof info) > 0) stop = info.ssi_signo == SIGTERM;
      if (waitpid(solver, &status, WNOHANG) == solver) break;
      if (stop && !how) {
        how = "stopped";
        kill(-solver, SIGTERM);
        deadline = now() + 2;
      } else if (now() >= deadline) {
        if (how)
          kill(-solver, SIGKILL);
        else
          kill(-solver, SIGTERM);
        if (!how) how = "timed_out";
        deadline = now() + 2;
      }
    }
    kill(-solver, SIGKILL);  // whatever it left behind in its group
    const double seconds = now() - begin;
    if (how) finish(how, 0, seconds);
    if (WIFSIGNALED(status)) finish("signalled", WTERMSIG(status), seconds);
    finish("exited", WEXITSTATUS(status), seconds);
  }

  int spawn(pid_t& solver) const {
    posix_spawn_file_actions_t files;
    posix_spawn_file_actions_init(&files);
    posix_spawn_file_actions_addopen(&files, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&files, 1, "stdout", O_WRONLY | O_CREAT | O_TRUNC, 0644);
    posix_spawn_file_actions_addopen(&files, 2, "stderr", O_WRONLY | O_CREAT | O_TRUNC, 0644);
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    sigset_t all;
    sigfillset(&all);
    posix_spawnattr_setsigmask(&attributes, &old_mask);
    posix_spawnattr_setsigdefault(&attributes, &all);
    posix_spawnattr_setpgroup(&attributes, 0);
    posix_spawnattr_setflags(&attributes,
                             POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF);
    return posix_spawnp(&solver, argv[0], &files, &attributes, argv.data(), environ);
  }

  /// Written beside and renamed, so that it is there whole or not at all.
  [[noreturn]] void finish(const char* how, int code, double seconds) const {
    char text[256];
    const int length = std::snprintf(text, sizeof text, "%s %d %.6f %s end\n", how, code, seconds, boot);
    const int file = open("outcome.part", O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (file < 0 || write(file, text, static_cast<std::size_t>(length)) != length || close(file) != 0 ||
        rename("outcome.part", "outcome") != 0)
      _exit(1);
    _exit(0);
  }
};

}  // namespace

std::string describe(const Outcome& o) {
  switch (o.how) {
    case Outcome::How::exited:
      return fmt::format("exit status {}", o.code);
    case Outcome::How::signalled:
      return fmt::format("killed by signal {} ({})", o.code, strsignal(o.code));
    case Outcome::How::timed_out:
      return fmt::format("ended after {:.3g} s, its time was up", o.seconds);
    case Outcome::How::stopped:
      return "stopped on request";
    default:
      return fmt::format("could not be started: {}", std::strerror(o.code));
  }
}

pid_t start_kept(const std::vector<std::string>& command, const std::filesystem::path& folder,
                 double timeout) {
  const auto fail = [&](const char* doing) {
    throw Error(fmt::format("cannot {} for a run ({})", doing, std::strerror(errno)), folder.string(),
                "look at the machine's limits, then run again", ErrorKind::machine);
  };
  std::vector<std::string> words = command;
  Keeper keeper{};
  for (std::string& w : words) keeper.argv.push_back(w.data());
  keeper.argv.push_back(nullptr);
  const std::string where = folder.string(), boot = boot_id();
  keeper.folder = where.c_str();
  keeper.boot = boot.c_str();
  keeper.timeout = timeout;
  keeper.lock = open((folder / "keeper").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
  if (keeper.lock >= 0 && keeper.lock < 3) {  // renth was started without standard streams
    const int low = keeper.lock;
    keeper.lock = fcntl(low, F_DUPFD_CLOEXEC, 3);
    close(low);
  }
  if (keeper.lock < 0 || flock(keeper.lock, LOCK_EX | LOCK_NB) != 0) fail("lock the folder");
  sigset_t all;
  sigfillset(&all);
  sigprocmask(SIG_SETMASK, &all, &keeper.old_mask);
  const pid_t pid = fork();
  if (pid == 0) keeper.run();
  sigprocmask(SIG_SETMASK, &keeper.old_mask, nullptr);
  close(keeper.lock);  // the keeper's copy holds the lock on
  if (pid < 0) fail("start a process");
  return pid;
}

std::optional<pid_t> living_keeper(const std::filesystem::path& folder) {
  const int lock = open((folder / "keeper").c_str(), O_RDONLY | O_CLOEXEC);
  if (lock < 0) return std::nullopt;
  std::optional<pid_t> alive;
  for (int attempt = 0; attempt < 200 && !alive; ++attempt) {
    if (flock(lock, LOCK_EX | LOCK_NB) == 0) break;  // nobody holds it
    char text[32] = {};
    if (pread(lock, text, sizeof text - 1, 0) > 0 && std::strchr(text, '\n'))
      alive = static_cast<pid_t>(std::atoi(text));
    else
      std::this_thread::sleep_for(std::chrono::milliseconds(5));  // it has not written its number yet
  }
  close(lock);
  return alive;
}

std::optional<Outcome> read_outcome(const std::filesystem::path& folder) {
  std::ifstream in(folder / "outcome");
  std::string how, boot, end;
  Outcome out;
  if (!(in >> how >> out.code >> out.seconds >> boot >> end) || end != "end" || boot != boot_id())
    return std::nullopt;
  using How = Outcome::How;
  if (how == "exited")
    out.how = How::exited;
  else if (how == "signalled")
    out.how = How::signalled;
  else if (how == "timed_out")
    out.how = How::timed_out;
  else if (how == "stopped")
    out.how = How::stopped;
  else if (how == "not_started")
    out.how = How::not_started;
  else
    return std::nullopt;
  return out;
}

int open_pidfd(pid_t pid) {
  return static_cast<int>(syscall(SYS_pidfd_open, pid, 0));
}

std::vector<std::size_t> wait_for_any(const std::vector<int>& pidfds, int wake_fd, double seconds) {
  std::vector<pollfd> polls;
  bool ended = false;
  for (const int fd : pidfds) {
    polls.push_back({fd, POLLIN, 0});
    ended = ended || fd < 0;
  }
  polls.push_back({wake_fd, POLLIN, 0});
  poll(polls.data(), polls.size(), ended ? 0 : static_cast<int>(std::ceil(1000 * seconds)));
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < pidfds.size(); ++i)
    if (pidfds[i] < 0 || polls[i].revents != 0) out.push_back(i);
  return out;
}

}  // namespace renth
