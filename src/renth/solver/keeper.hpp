// The keeper: a small process that starts solvers, limits them, and outlives the one that asked for it.
#pragma once
#include <sys/types.h>

#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <renth/solver/outcome.hpp>
#include <string>
#include <vector>

namespace renth {

/// What every call that a keeper starts must obey.
struct CallLimits {
  int jobs = 1;                 ///< calls at once; further ones wait in the keeper
  double timeout = 0;           ///< seconds; 0: none. SIGTERM to the group, two seconds later SIGKILL
  std::uint64_t memory = 0;     ///< bytes of data (RLIMIT_DATA) of each process; 0: none
  std::uint64_t file_size = 0;  ///< bytes of each file written (RLIMIT_FSIZE); 0: none
};

/// What a keeper tells.
struct KeeperEvent {
  enum class What {
    running,  ///< it has this call; said of all when a keeper is taken over
    ended,    ///< with its outcome
    dropped,  ///< was waiting when the keeper was told to start no more
    lost      ///< the keeper itself has ended (killed); no folder
  } what = What::ended;
  std::string folder;
  Outcome outcome;
};

/// One keeper a study: it starts the calls that it is sent, at most `jobs` at once, each in its folder
/// and process group, with its output streamed to the files `stdout` and `stderr`; ends what outstays its
/// time and whatever a solver leaves behind, also what left the group (the keeper adopts orphans and
/// knows them by RENTH_FOLDER in their environment); and writes the file `outcome` of each call into space
/// set aside before the start, so that a full disk cannot keep it from that.
///
/// If the process that asked for it ends, however it ends, the keeper drops what waits, lets what runs
/// finish, and leaves. Until then another process can take it over. SIGTERM makes it end all calls.
class Keeper {
 public:
  /// Takes over the keeper of the study in `folder` if one is alive, else starts one.
  /// \param environment  NAME=value words added to this process's environment for every call.
  /// \throws Error (machine)  it cannot be started.
  Keeper(const std::filesystem::path& folder, const CallLimits& limits,
         const std::map<std::string, std::string>& environment);
  /// Only takes over. Nothing if none is alive.
  static std::optional<Keeper> find(const std::filesystem::path& folder);
  ~Keeper();
  Keeper(Keeper&& other) noexcept;
  Keeper& operator=(Keeper&&) = delete;

  void configure(const CallLimits& limits, const std::map<std::string, std::string>& environment);
  /// Queues a call; its folder must exist. Sent with the next flush.
  void start(const std::filesystem::path& folder, const std::vector<std::string>& command);
  void flush();
  void drop_waiting();
  void end_all();
  /// Readable when there is something to tell.
  int fd() const { return socket_; }
  /// Everything told since; does not wait.
  std::vector<KeeperEvent> events();
  /// Those that ran in the keeper when it was taken over; told at once by `events` too.
  pid_t pid() const { return pid_; }

 private:
  Keeper() = default;
  void send(char type, const std::vector<std::string>& fields);
  int socket_ = -1;
  pid_t pid_ = 0;
  bool child_ = false;
  std::string received_, unsent_;
};

/// Processes of this user that carry RENTH_FOLDER=`folder`: what a solver left behind when its keeper was
/// killed. Ends them; returns how many.
int end_orphans(const std::vector<std::filesystem::path>& folders);

}  // namespace renth
