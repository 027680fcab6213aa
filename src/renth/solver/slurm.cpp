#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <random>
#include <renth/base/text.hpp>
#include <renth/solver/shell.hpp>
#include <renth/solver/slurm.hpp>
#include <renth/solver/tool.hpp>
#include <sstream>

namespace renth {
namespace {

std::string one_line(std::string text) {
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.pop_back();
  std::replace(text.begin(), text.end(), '\n', '|');
  return shortened(text, 400);
}

[[noreturn]] void refuse(const std::string& doing, const ToolAnswer& answer) {
  const std::string text = one_line(answer.err.empty() ? answer.out : answer.err);
  const bool silent = text.find("Unable to contact") != std::string::npos ||
                      text.find("Connection refused") != std::string::npos ||
                      text.find("Socket timed out") != std::string::npos;
  throw Error(fmt::format("{}: {}", silent ? "the cluster's scheduler does not answer" : doing, text),
              "slurm",
              silent ? "try again when it is back: renth run; nothing is lost, and tasks go on without us"
                     : "correct [solver.slurm] in study.toml, then run again; nothing is lost",
              ErrorKind::machine);
}

}  // namespace

TaskState task_state(const std::string& name) {
  static const std::map<std::string, TaskState> known = {
      {"PENDING", TaskState::waiting},       {"REQUEUED", TaskState::waiting},
      {"REQUEUE_HOLD", TaskState::waiting},  {"REQUEUE_FED", TaskState::waiting},
      {"SPECIAL_EXIT", TaskState::waiting},  {"RESV_DEL_HOLD", TaskState::waiting},
      {"CONFIGURING", TaskState::running},   {"RUNNING", TaskState::running},
      {"COMPLETING", TaskState::running},    {"RESIZING", TaskState::running},
      {"SIGNALING", TaskState::running},     {"STAGE_OUT", TaskState::running},
      {"STOPPED", TaskState::running},       {"SUSPENDED", TaskState::running},
      {"COMPLETED", TaskState::completed},   {"FAILED", TaskState::failed},
      {"DEADLINE", TaskState::timed_out},    {"TIMEOUT", TaskState::timed_out},
      {"CANCELLED", TaskState::cancelled},   {"REVOKED", TaskState::cancelled},
      {"NODE_FAIL", TaskState::node_failed}, {"BOOT_FAIL", TaskState::node_failed},
      {"PREEMPTED", TaskState::node_failed}, {"OUT_OF_MEMORY", TaskState::out_of_memory}};
  const auto found = known.find(name);
  return found == known.end() ? TaskState::running
                              : found->second;  // a state that a newer Slurm has: it still knows it
}

std::string Slurm::submit(const Study& study, const std::string& name, const std::filesystem::path& folder,
                          int tasks, int at_once) {
  const SlurmSpec& s = study.solver.slurm;
  std::vector<std::string> words = {
      "sbatch",
      "--parsable",
      "--job-name=" + name,
      fmt::format("--array=0-{}{}", tasks - 1, at_once > 0 ? fmt::format("%{}", at_once) : ""),
      "--chdir=" + folder.string(),
      "--output=" + (folder / "task-%a.log").string()};
  if (!s.partition.empty()) words.push_back("--partition=" + s.partition);
  if (!s.time.empty()) words.push_back("--time=" + s.time);
  words.insert(words.end(), s.options.begin(), s.options.end());
  words.push_back((folder / "task.sh").string());
  ++calls_;
  const ToolAnswer answer = ask_tool(words, "submitting to the cluster", lock_);
  const std::string job = answer.out.substr(0, answer.out.find_first_of(";\n"));  // "123", or "123;cluster"
  if (answer.status != 0 || job.empty() || job.find_first_not_of("0123456789") != std::string::npos)
    refuse("the cluster refuses the runs", answer);
  return job;
}

std::map<std::pair<std::string, int>, TaskState> Slurm::states() {
  ++calls_;
  // Asked for a number that it does not know it would fail; asked for all of this user's it does not.
  const ToolAnswer answer =
      ask_tool({"squeue", "--noheader", "--array", "--states=all", "--me", "--format=%F|%K|%T|%j"},
               "asking the cluster");
  if (answer.status != 0) refuse("the cluster does not tell its queue", answer);
  std::map<std::pair<std::string, int>, TaskState> out;
  std::istringstream lines(answer.out);
  for (std::string line; std::getline(lines, line);) {
    std::istringstream fields(line);
    std::string job, task, state, name;
    std::getline(fields, job, '|');
    std::getline(fields, task, '|');
    std::getline(fields, state, '|');
    std::getline(fields, name);
    if (task.empty() || task.find_first_not_of("0123456789") != std::string::npos)
      continue;  // no array of ours
    out[{job, std::stoi(task)}] = task_state(state);
    by_name_[name] = job;
  }
  return out;
}

void Slurm::cancel(const std::vector<std::string>& jobs) {
  if (jobs.empty()) return;
  std::vector<std::string> words = {"scancel", "--quiet"};
  words.insert(words.end(), jobs.begin(), jobs.end());
  ++calls_;
  const ToolAnswer answer = ask_tool(words, "cancelling on the cluster");
  const bool only_gone = answer.err.find("Invalid job id") != std::string::npos;
  if (answer.status != 0 && !only_gone) refuse("the cluster does not cancel the runs", answer);
}

int Slurm::largest_array() {
  if (largest_ > 0) return largest_;
  ++calls_;
  const ToolAnswer answer = ask_tool({"scontrol", "show", "config"}, "asking the cluster");
  if (answer.status != 0) refuse("the cluster does not tell its settings", answer);
  const std::size_t at = answer.out.find("MaxArraySize");
  const std::size_t equals = at == std::string::npos ? at : answer.out.find('=', at);
  largest_ = equals == std::string::npos ? 1000 : std::max(1, std::atoi(answer.out.c_str() + equals + 1));
  return largest_;
}

std::string call_script(const std::vector<std::string>& command) {
  std::string out = "exec";
  for (const std::string& word : command) out += " " + shell_quoted(word);
  return out + "\n";
}

std::string task_script(const Study& study, int chunk, const std::filesystem::path& folder) {
  const SolverSpec& s = study.solver;
  std::string limits, exports;
  if (s.memory > 0) limits += fmt::format("ulimit -d {}\n", (s.memory + 1023) / 1024);
  if (s.file_size > 0) limits += fmt::format("ulimit -f {}\n", (s.file_size + 511) / 512);
  for (const auto& [key, value] : s.environment)
    exports += fmt::format("export {}={}\n", key, shell_quoted(value));
  const std::string timeout = s.timeout > 0 ? fmt::format("timeout --kill-after=2 {:.3f} ", s.timeout) : "";
  return fmt::format(R"SH(#!/bin/sh
# One task of a renth study: calls of the solver, one after the other.
here={here}
{exports}{limits}first=$((SLURM_ARRAY_TASK_ID * {chunk} + 1))
last=$((first + {chunk} - 1))
child=
stop() {{
  if [ -n "$child" ]; then
    kill -TERM -- "-$child" 2>/dev/null
    sleep 1
    kill -KILL -- "-$child" 2>/dev/null
  fi
  exit 143
}}
trap stop TERM INT
while IFS= read -r folder; do
  [ -n "$folder" ] || continue
  [ -e "$folder/outcome" ] && continue
  cd "$folder" || continue
  begin=$(date +%s.%N)
  echo "$SLURM_ARRAY_JOB_ID $SLURM_ARRAY_TASK_ID $(hostname) $begin" > started
  export RENTH_FOLDER="$folder"
  setsid {timeout}sh ./command > stdout 2> stderr < /dev/null &
  child=$!
  wait "$child"
  code=$?
  kill -KILL -- "-$child" 2>/dev/null
  child=
  seconds=$(awk "BEGIN {{ printf \"%.6f\", $(date +%s.%N) - $begin }}")
  how=exited
  if [ "$code" -gt 128 ]; then
    how=signalled
    code=$((code - 128))
  fi
  if [ {limit} -gt 0 ] && [ "$(awk "BEGIN {{ print ($seconds >= {seconds_limit}) }}")" = 1 ]; then
    if [ "$how $code" = "exited 124" ] || [ "$how $code" = "signalled 9" ]; then
      how=timed_out
      code=0
    fi
  fi
  echo "$how $code $seconds $begin 0 -1 cluster end" > outcome.part && mv outcome.part outcome
done <<LIST
$(sed -n "${{first}},${{last}}p" "$here/calls")
LIST
)SH",
                     fmt::arg("here", shell_quoted(folder.string())), fmt::arg("exports", exports),
                     fmt::arg("limits", limits), fmt::arg("chunk", chunk), fmt::arg("timeout", timeout),
                     fmt::arg("limit", static_cast<long long>(std::ceil(s.timeout))),
                     fmt::arg("seconds_limit", s.timeout));
}

std::string fresh_submission_name() {
  std::random_device random;  // only a name; no result depends on it
  return fmt::format("renth-{:08x}", random());
}

TaskStart task_start(const std::filesystem::path& folder) {
  TaskStart out;
  std::ifstream(folder / "started") >> out.job >> out.task >> out.host >> out.seconds;
  return out;
}

}  // namespace renth
