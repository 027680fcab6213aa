// Studies whose solver is a shell script that notes each start and each end.
#pragma once
#include <chrono>
#include <cli/tool.hpp>
#include <map>
#include <thread>

namespace renth::test {

/// One parameter x, one response y; `body` is the script, with the input, the output and the run as $1 $2 $3.
inline void make_study(const Tool& tool, const std::string& body, const std::string& more = "") {
  tool.write("solve.sh", "#!/bin/sh\nprintf 'start %s\\n' \"$3\" >> '" + tool.folder.string() + "/log'\n" +
                             body + "\nprintf 'end %s\\n' \"$3\" >> '" + tool.folder.string() + "/log'\n");
  tool.write("study.toml",
             "[study]\nname = \"s\"\n[[parameter]]\nname = \"x\"\nspan = [0, 1]\n[[response]]\nname = "
             "\"y\"\n[solver]\nkind = \"process\"\noutput = \"json\"\ncommand = [\"sh\", \"" +
                 (tool.folder / "solve.sh").string() +
                 "\", \"{input}\", \"{output}\", \"{run}\"]\njobs = 2\n" + more);
}

/// Reads x and writes it as y.
inline const std::string answer =
    "x=$(sed -n 's/.*\"x\": \\([0-9.e-]*\\).*/\\1/p' \"$1\")\necho \"{\\\"y\\\": $x}\" > \"$2\"";

/// Shell: waits until the test has written `file`. No machine is too slow for a test that waits like this.
inline std::string until_written(const Tool& tool, const std::string& file = "go") {
  const std::string folder = tool.folder.string();
  return "while [ -d '" + folder + "' ] && [ ! -e '" + folder + "/" + file + "' ]; do sleep 0.02; done\n";
}

/// How often each run ended (or began).
inline std::map<std::string, int> starts(const Tool& tool, const std::string& what = "end") {
  std::map<std::string, int> out;
  std::istringstream log(tool.read("log"));
  for (std::string word, run; log >> word >> run;)
    if (word == what) ++out[run];
  return out;
}

inline nlohmann::json runs_of(const Tool& tool, const std::string& where = "id > 0") {
  return tool("runs --json --where \"" + where + "\"").json()["runs"];
}
inline bool has_note(const nlohmann::json& document, const std::string& code) {
  for (const auto& n : document["notes"])
    if (n["code"] == code) return true;
  return false;
}

inline std::string message(const Tool& tool, int run) {
  return runs_of(tool, "id == " + std::to_string(run))[0]["message"];
}

inline void nap(int milliseconds) {
  std::this_thread::sleep_for(std::chrono::milliseconds(milliseconds));
}
template <class Is>
bool wait_until(const Is& is, int seconds = 30) {
  for (int i = 0; i < seconds * 20; ++i) {
    if (is()) return true;
    nap(50);
  }
  return false;
}

}  // namespace renth::test
