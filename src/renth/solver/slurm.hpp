// Slurm through its public commands: sbatch, squeue, scancel, scontrol.
#pragma once
#include <map>
#include <renth/solver/render.hpp>
#include <string>
#include <vector>

namespace renth {

/// What the scheduler says of one task of an array.
enum class TaskState {
  waiting,      ///< pending, held, requeued, …
  running,      ///< running, completing, suspended, …
  completed,    ///< its script came to its end
  failed,       ///< its script failed
  timed_out,    ///< the task's time was up
  cancelled,    ///< by the user or an administrator
  node_failed,  ///< the node failed, or the task was pre-empted
  out_of_memory,
  gone  ///< not known any more: finished some minutes ago, or cancelled before it began
};

/// From a name of squeue's. \see man squeue, "JOB STATE CODES".
TaskState task_state(const std::string& name);

/// All scheduler calls of one `run`; counts them.
class Slurm {
 public:
  /// \param lock  held open by sbatch, so that whoever finds the study's lock free knows that nothing is
  ///              being submitted.
  explicit Slurm(int lock) : lock_(lock) {}

  /// Gives an array of tasks 0 … tasks − 1 to the scheduler; returns its number.
  /// \param folder  where the script `task.sh` is and the tasks' logs go.
  /// \throws Error (machine)  the scheduler refuses, in its own words, or does not answer.
  std::string submit(const Study& study, const std::string& name, const std::filesystem::path& folder,
                     int tasks, int at_once);

  /// State of every task of this user that the scheduler still knows, by array and task.
  /// \throws Error (machine)  it does not answer.
  std::map<std::pair<std::string, int>, TaskState> states();
  /// Arrays of this user by name.
  const std::map<std::string, std::string>& jobs_by_name() const { return by_name_; }

  void cancel(const std::vector<std::string>& jobs);
  /// The largest number of tasks that an array may have.
  int largest_array();
  int calls() const { return calls_; }

 private:
  int lock_;
  int calls_ = 0, largest_ = 0;
  std::map<std::string, std::string> by_name_;
};

/// The script of a task: goes through its share of the file `calls` beside it, a folder a line, runs each
/// folder's `command` in a session of its own within the limits, and writes its `outcome`. A call that has
/// one is not made again. When the task is ended, so is everything that its call started.
std::string task_script(const Study& study, int chunk, const std::filesystem::path& folder);

/// What a task runs for one call.
std::string call_script(const std::vector<std::string>& command);

/// A name that no other submission has.
std::string fresh_submission_name();

/// What a task wrote when it came to a call; no job: it has not.
struct TaskStart {
  std::string job, task, host;
  double seconds = 0;  ///< since 1970
};
/// \param folder  of the call.
TaskStart task_start(const std::filesystem::path& folder);

}  // namespace renth
