#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <renth/base/error.hpp>
#include <renth/solver/tool.hpp>

extern char** environ;

namespace renth {

ToolAnswer ask_tool(const std::vector<std::string>& words, const std::string& purpose, int keep_open,
                    const std::string& folder) {
  const auto fail = [&](int why) {
    throw Error(fmt::format("cannot start {} ({})", words.front(), std::strerror(why)), purpose,
                why == ENOENT ? "install it, or put its folder on the PATH"
                              : "look at the machine's limits, then try again",
                ErrorKind::machine);
  };
  int out[2], err[2];
  if (pipe2(out, O_CLOEXEC) != 0) fail(errno);
  if (pipe2(err, O_CLOEXEC) != 0) fail(errno);
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  if (!folder.empty()) posix_spawn_file_actions_addchdir_np(&files, folder.c_str());
  posix_spawn_file_actions_addopen(&files, 0, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_adddup2(&files, out[1], 1);
  posix_spawn_file_actions_adddup2(&files, err[1], 2);
  if (keep_open >= 0)
    posix_spawn_file_actions_adddup2(&files, keep_open, keep_open);  // to itself: no longer closed on exec
  std::vector<char*> argv;
  for (const std::string& w : words) argv.push_back(const_cast<char*>(w.c_str()));
  argv.push_back(nullptr);
  pid_t pid = 0;
  const int failure = posix_spawnp(&pid, argv[0], &files, nullptr, argv.data(), environ);
  posix_spawn_file_actions_destroy(&files);
  close(out[1]);
  close(err[1]);
  ToolAnswer answer;
  pollfd on[] = {{out[0], POLLIN, 0}, {err[0], POLLIN, 0}};
  std::string* texts[] = {&answer.out, &answer.err};
  while (failure == 0 && (on[0].fd >= 0 || on[1].fd >= 0)) {
    if (poll(on, 2, -1) < 0 && errno != EINTR) break;
    for (int i = 0; i < 2; ++i) {
      if (on[i].fd < 0 || on[i].revents == 0) continue;
      char bytes[65536];
      const ssize_t n = read(on[i].fd, bytes, sizeof bytes);
      if (n > 0)
        texts[i]->append(bytes, static_cast<std::size_t>(n));
      else if (n == 0 || errno != EINTR)
        on[i].fd = -1;
    }
  }
  close(out[0]);
  close(err[0]);
  if (failure != 0) fail(failure);
  int status = 0;
  while (waitpid(pid, &status, 0) < 0 && errno == EINTR) {
  }
  answer.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  return answer;
}

}  // namespace renth
