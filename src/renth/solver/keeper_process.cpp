// The keeper's own process: one thread, one poll, no wake-ups but for what happens.
#include <fcntl.h>
#include <poll.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/signalfd.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <climits>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <ctime>
#include <deque>
#include <fstream>
#include <renth/solver/keeper.hpp>
#include <renth/solver/keeper_messages.hpp>
#include <set>

namespace renth {
namespace {

namespace m = keeper_messages;

double clock_now(clockid_t clock) {
  timespec t{};
  clock_gettime(clock, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

/// Everything that the child needs between vfork and exec, made before: it must not allocate.
struct Launch {
  const char* folder;
  char* const* argv;
  char* const* environment;
  rlim_t memory, file_size;
  pid_t keeper;
};

/// The child shares our memory until it execs; \returns the errno that kept it from that, or 0.
[[gnu::noinline]] int launch(const Launch& l, pid_t& pid) {
  volatile int failure = 0;
  const pid_t child = vfork();
  if (child == 0) {
    setpgid(0, 0);
    prctl(PR_SET_PDEATHSIG, SIGKILL);  // killed with its keeper, rather than run on unseen
    if (getppid() != l.keeper) _exit(127);
    const auto limit = [](__rlimit_resource what, rlim_t bytes) {
      rlimit old{};
      getrlimit(what, &old);
      const rlim_t most = std::min(bytes, old.rlim_max);
      const rlimit wanted{most, most};
      setrlimit(what, &wanted);
    };
    if (l.memory > 0) limit(RLIMIT_DATA, l.memory);
    if (l.file_size > 0) limit(RLIMIT_FSIZE, l.file_size);
    int in = -1, out = -1, err = -1;
    if (chdir(l.folder) != 0 || (in = open("/dev/null", O_RDONLY | O_CLOEXEC)) < 0 ||
        (out = open("stdout", O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NONBLOCK, 0666)) < 0 ||
        (err = open("stderr", O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NONBLOCK, 0666)) < 0 ||
        dup2(in, 0) < 0 || dup2(out, 1) < 0 || dup2(err, 2) < 0) {
      failure = errno;
      _exit(127);
    }
    for (const int s : {SIGINT, SIGHUP, SIGQUIT, SIGPIPE}) signal(s, SIG_DFL);
    sigset_t none;
    sigemptyset(&none);
    sigprocmask(SIG_SETMASK, &none, nullptr);
    execvpe(l.argv[0], l.argv, l.environment);
    failure = errno;
    _exit(127);
  }
  if (child < 0) return errno;
  if (failure != 0) waitpid(child, nullptr, 0);
  pid = child;
  return failure;
}

class KeeperProcess {
 public:
  KeeperProcess(int client, const std::string& name, int study) : client_(client), study_(study) {
    listen_ = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
    sockaddr_un address{};
    const socklen_t size = keeper_address(name, address);
    // Without an address it cannot be taken over, but keeps all the same.
    if (listen_ >= 0 &&
        (bind(listen_, reinterpret_cast<sockaddr*>(&address), size) != 0 || listen(listen_, 4) != 0)) {
      close(listen_);
      listen_ = -1;
    }
    sigset_t watched;
    sigemptyset(&watched);
    for (const int s : {SIGTERM, SIGCHLD}) sigaddset(&watched, s);
    sigprocmask(SIG_SETMASK, &watched, nullptr);
    signals_ = signalfd(-1, &watched, SFD_CLOEXEC | SFD_NONBLOCK);
    boot_ = boot_id();
  }

  [[noreturn]] void run() {
    for (;;) {
      fill();
      if (running_.empty() && (ending_ || client_ < 0) && sending_.empty()) {
        sweep();
        _exit(0);
      }
      wait();
    }
  }

 private:
  struct Running {
    std::string folder;
    int outcome;  // file that the outcome goes into
    double begin, started, deadline;
    const char* how = nullptr;  // why we ended it
  };
  struct Waiting {
    std::string folder;
    std::vector<std::string> command;
  };

  void wait() {
    double next = INFINITY;
    for (const auto& [pid, r] : running_) next = std::min(next, r.deadline);
    if (!unswept_.empty() && std::isinf(sweep_at_)) sweep_at_ = clock_now(CLOCK_MONOTONIC) + 0.1;
    next = std::min(next, sweep_at_);
    const double left = next - clock_now(CLOCK_MONOTONIC);
    const int pause = std::isinf(left) ? -1
                      : left > 2e6     ? 2'000'000'000
                      : left > 0       ? static_cast<int>(std::ceil(1000 * left))
                                       : 0;
    pollfd on[] = {{signals_, POLLIN, 0},
                   {client_, static_cast<short>(POLLIN | (sending_.empty() ? 0 : POLLOUT)), 0},
                   {listen_, POLLIN, 0}};
    poll(on, 3, pause);
    if (on[0].revents) {
      signalfd_siginfo info{};
      while (read(signals_, &info, sizeof info) == sizeof info)
        if (info.ssi_signo == SIGTERM) end_all();
    }
    reap();
    end_overdue();
    if (clock_now(CLOCK_MONOTONIC) >= sweep_at_) sweep();
    if (on[1].revents & (POLLIN | POLLHUP | POLLERR)) receive();
    flush();
    if (on[2].revents) accept_client();
  }

  void accept_client() {
    const int fd = accept4(listen_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
    ucred who{};
    socklen_t size = sizeof who;
    if (fd < 0) return;
    if (getsockopt(fd, SOL_SOCKET, SO_PEERCRED, &who, &size) != 0 || who.uid != geteuid()) {
      close(fd);
      return;
    }
    if (client_ >= 0) lose_client();  // only one can hold the study's lock: the newest
    client_ = fd;
    receiving_.clear();
  }

  void receive() {
    char bytes[65536];
    for (;;) {
      const ssize_t n = recv(client_, bytes, sizeof bytes, MSG_DONTWAIT);
      if (n > 0) {
        receiving_.append(bytes, static_cast<std::size_t>(n));
        continue;
      }
      if (n < 0 && (errno == EAGAIN || errno == EINTR)) break;
      obey();
      return lose_client();
    }
    obey();
  }

  void lose_client() {
    close(client_);
    client_ = -1;
    sending_.clear();
    waiting_.clear();  // whoever comes next finds them neither running nor ended
  }

  void obey() {
    std::size_t at = 0;
    while (const auto message = m::unpack(receiving_, at)) {
      const auto& f = message->fields;
      switch (message->type) {
        case m::hello:
          for (const auto& [pid, r] : running_) say(m::running, {r.folder});
          say(m::welcome, {m::protocol, std::to_string(getpid())});
          break;
        case m::settings:
          jobs_ = static_cast<std::size_t>(std::atoi(f.at(0).c_str()));
          timeout_ = std::atof(f.at(1).c_str());
          memory_ = std::strtoull(f.at(2).c_str(), nullptr, 10);
          file_size_ = std::strtoull(f.at(3).c_str(), nullptr, 10);
          environment_.assign(f.begin() + 4, f.end());
          for (const std::string& e : environment_)
            if (e.rfind("PATH=", 0) == 0) setenv("PATH", e.c_str() + 5, 1);  // execvpe looks into ours
          break;
        case m::start:
          waiting_.push_back({f.at(0), {f.begin() + 1, f.end()}});
          break;
        case m::drop:
          drop();
          break;
        case m::end_all:
          drop();
          end_all();
          ending_ = false;
          break;
      }
    }
    receiving_.erase(0, at);
  }

  void drop() {
    for (const Waiting& w : waiting_) say(m::dropped, {w.folder});
    waiting_.clear();
  }

  void end_all() {
    ending_ = true;
    drop();
    for (auto& [pid, r] : running_)
      if (!r.how) end(pid, r, "stopped");
  }
  static void end(pid_t pid, Running& r, const char* how) {
    r.how = how;
    kill(-pid, SIGTERM);
    r.deadline = clock_now(CLOCK_MONOTONIC) + 2;
  }

  void end_overdue() {
    const double now = clock_now(CLOCK_MONOTONIC);
    for (auto& [pid, r] : running_) {
      if (now < r.deadline) continue;
      if (!r.how) {
        end(pid, r, "timed_out");
      } else {
        kill(-pid, SIGKILL);
        r.deadline = now + 2;
      }
    }
  }

  void fill() {
    while (!waiting_.empty() && running_.size() < jobs_) {
      const Waiting w = std::move(waiting_.front());
      waiting_.pop_front();
      begin(w);
    }
  }

  void begin(const Waiting& w) {
    if (unswept_.count(w.folder) > 0) sweep();  // made again: nothing of the last time may still write there
    Running r{w.folder, -1, clock_now(CLOCK_MONOTONIC), clock_now(CLOCK_REALTIME), INFINITY, nullptr};
    if (timeout_ > 0) r.deadline = r.begin + timeout_;
    // The outcome's room is taken now, so that a disk filled by the solver cannot refuse it.
    const std::string blank(200, ' ');
    r.outcome =
        open((w.folder + "/outcome").c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NONBLOCK, 0666);
    if (r.outcome < 0 || write(r.outcome, blank.data(), blank.size()) != static_cast<ssize_t>(blank.size()))
      return finish(r, Outcome::How::not_started, errno, 0);
    std::vector<char*> argv, environment;
    for (const std::string& word : w.command) argv.push_back(const_cast<char*>(word.c_str()));
    argv.push_back(nullptr);
    for (const std::string& e : environment_) environment.push_back(const_cast<char*>(e.c_str()));
    std::string mark = "RENTH_FOLDER=" + w.folder;
    environment.push_back(mark.data());
    environment.push_back(nullptr);
    pid_t pid = 0;
    const int failure =
        launch({w.folder.c_str(), argv.data(), environment.data(), memory_, file_size_, getpid()}, pid);
    if (failure != 0) return finish(r, Outcome::How::not_started, failure, 0);
    running_.emplace(pid, std::move(r));
  }

  void reap() {
    int status = 0;
    rusage usage{};
    for (pid_t pid; (pid = wait4(-1, &status, WNOHANG, &usage)) > 0;) {
      const auto found = running_.find(pid);
      if (found == running_.end()) continue;  // an orphan that we adopted
      Running r = std::move(found->second);
      running_.erase(found);
      kill(-pid, SIGKILL);  // whatever it left behind in its group
      // Looking for what left the group takes longer than the quickest solvers: theirs are looked for
      // together.
      unswept_.insert(r.folder);
      if (clock_now(CLOCK_MONOTONIC) - r.begin > 0.05) sweep();
      using How = Outcome::How;
      const double peak = 1024.0 * static_cast<double>(usage.ru_maxrss);
      if (r.how)
        finish(r, r.how[0] == 't' ? How::timed_out : How::stopped, 0, peak);
      else if (WIFSIGNALED(status))
        finish(r, How::signalled, WTERMSIG(status), peak);
      else
        finish(r, How::exited, WEXITSTATUS(status), peak);
    }
  }

  /// Ends processes that left a solver's group and outlived it: they became our children.
  void sweep() {
    for (int round = 0; round < 100; ++round) {
      char text[4096] = {};
      const int file = open("/proc/thread-self/children", O_RDONLY | O_CLOEXEC);
      if (file < 0) break;
      const ssize_t size = read(file, text, sizeof text - 1);
      close(file);
      bool found = false;
      for (const char* at = text; size > 0 && *at;) {
        char* end = nullptr;
        const pid_t pid = static_cast<pid_t>(std::strtol(at, &end, 10));
        if (end == at) break;
        at = end;
        if (running_.count(pid) > 0 || !belongs_to_ended(pid)) continue;
        kill(pid, SIGKILL);
        waitpid(pid, nullptr, 0);
        found = true;
      }
      if (!found) break;
    }
    unswept_.clear();
    sweep_at_ = INFINITY;
  }
  bool belongs_to_ended(pid_t pid) const {
    std::ifstream in("/proc/" + std::to_string(pid) + "/environ", std::ios::binary);
    for (std::string one; std::getline(in, one, '\0');)
      if (one.rfind("RENTH_FOLDER=", 0) == 0) return unswept_.count(one.substr(13)) > 0;
    return false;
  }

  void finish(const Running& r, Outcome::How how, int code, double peak) {
    Outcome o{how, code, clock_now(CLOCK_MONOTONIC) - r.begin, r.started, peak, -1};
    struct statvfs disk {};
    if (statvfs(r.folder.c_str(), &disk) == 0)
      o.disk_left = static_cast<double>(disk.f_bavail) * static_cast<double>(disk.f_frsize);
    const std::string line = to_line(o, boot_);
    if (r.outcome >= 0) {
      [[maybe_unused]] const ssize_t written = pwrite(r.outcome, line.data(), line.size(), 0);
      close(r.outcome);
    }
    say(m::ended, {r.folder, line});
  }

  void say(char type, const std::vector<std::string>& fields) {
    if (client_ >= 0) sending_ += m::pack(type, fields);
  }
  void flush() {
    while (client_ >= 0 && !sending_.empty()) {
      const ssize_t n = ::send(client_, sending_.data(), sending_.size(), MSG_DONTWAIT | MSG_NOSIGNAL);
      if (n > 0)
        sending_.erase(0, static_cast<std::size_t>(n));
      else if (errno == EAGAIN || errno == EINTR)
        return;
      else
        return lose_client();
    }
  }

  int client_, listen_ = -1, signals_ = -1;
  int study_;  // open as long as we live, so that its number is not given to another folder
  std::map<pid_t, Running> running_;
  std::deque<Waiting> waiting_;
  std::vector<std::string> environment_;
  std::size_t jobs_ = 1;
  double timeout_ = 0;
  std::uint64_t memory_ = 0, file_size_ = 0;
  bool ending_ = false;
  std::set<std::string> unswept_;  // folders of ended calls whose left-behind processes were not looked for
  double sweep_at_ = INFINITY;
  std::string receiving_, sending_, boot_;
};

}  // namespace

void keep(int client, const std::string& name, int folder_of_study) {
  setsid();
  prctl(PR_SET_NAME, "renth-keeper");
  prctl(PR_SET_CHILD_SUBREAPER, 1);
  // Nothing of the parent's stays open: no lock, no store, no pipe of its terminal.
  for (const int fd : {client, folder_of_study}) fcntl(fd, F_SETFD, FD_CLOEXEC);
  const int low = std::min(client, folder_of_study), high = std::max(client, folder_of_study);
  if (low > 3) close_range(3, static_cast<unsigned>(low) - 1, 0);
  if (high > low + 1) close_range(static_cast<unsigned>(low) + 1, static_cast<unsigned>(high) - 1, 0);
  close_range(static_cast<unsigned>(high) + 1, ~0U, 0);
  const int nowhere = open("/dev/null", O_RDWR | O_CLOEXEC);
  for (int fd = 0; fd < 3 && nowhere >= 0; ++fd) dup2(nowhere, fd);
  for (const int s : {SIGINT, SIGHUP, SIGQUIT, SIGPIPE}) signal(s, SIG_IGN);
  KeeperProcess(client, name, folder_of_study).run();
}

}  // namespace renth
