// One solver process, kept by a small keeper process that outlives us if we are killed.
#pragma once
#include <sys/types.h>

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace renth {

/// How a solver ended, as its keeper wrote it into the run's folder.
struct Outcome {
  enum class How { exited, signalled, timed_out, stopped, not_started } how = How::exited;
  int code = 0;  ///< exit status, signal, or errno of a start that failed
  double seconds = 0;
};

/// In words: "exit status 2", "killed by signal 11 (Segmentation fault)", …
std::string describe(const Outcome& outcome);

/// Starts `command` in `folder` under a keeper: a forked child that leads a session of its own,
/// gives the solver a process group, streams its output to the files `stdout` and `stderr`, ends the
/// whole group after `timeout` seconds (SIGTERM, two seconds later SIGKILL; 0: never) or when it
/// gets SIGTERM itself, and at last writes the file `outcome`, complete or not at all.
///
/// The keeper holds a lock on the file `keeper` as long as it lives, so that whoever starts after a
/// crash of this process can tell a run that goes on from one that died.
///
/// \returns the keeper's process id. \throws Error (machine)  it cannot be started.
pid_t start_kept(const std::vector<std::string>& command, const std::filesystem::path& folder,
                 double timeout);

/// The keeper of a folder, if one is alive.
std::optional<pid_t> living_keeper(const std::filesystem::path& folder);

/// What the keeper wrote; nothing if it did not come to that, or the machine was restarted since, in
/// which case the files cannot be trusted.
std::optional<Outcome> read_outcome(const std::filesystem::path& folder);

/// Waits for processes (children or not) and for a wake-up at the same time.
/// \param wake_fd  readable: return at once; −1: none.
/// \param seconds  at most so long.
/// \returns indices of those that ended.
std::vector<std::size_t> wait_for_any(const std::vector<int>& pidfds, int wake_fd, double seconds);

/// A file descriptor that becomes readable when the process ends; −1 if it has ended already.
int open_pidfd(pid_t pid);

}  // namespace renth
