// Driving the renth binary as a process.
#pragma once
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>
#include <string>
#include <support_files.hpp>

namespace renth::test {

struct Answer {
  int status = 0;
  std::string out, err;
  nlohmann::json json() const { return nlohmann::json::parse(out); }
};

inline bool contains(const std::string& text, const std::string& part) {
  return text.find(part) != std::string::npos;
}

/// A scratch folder in which the tool is called.
class Tool {
 public:
  Answer shell(const std::string& command) const {
    const std::string whole =
        "cd '" + folder.string() + "' && { " + command + "\n} > .out 2> .err < /dev/null";
    const int status = std::system(whole.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128, slurp(folder / ".out"), slurp(folder / ".err")};
  }
  Answer operator()(const std::string& arguments) const {
    return shell(std::string(RENTH_BINARY) + " " + arguments);
  }
  void write(const std::string& file, const std::string& text) const { scratch_.write(file, text); }
  std::string read(const std::string& file) const { return scratch_.read(file); }

  /// Starts the tool beside us, as the leader of a process group; its outputs go to .bg.out and .bg.err.
  pid_t start(const std::string& arguments) const {
    const pid_t pid = fork();
    if (pid == 0) {
      setpgid(0, 0);
      if (chdir(folder.c_str()) != 0) _exit(1);
      const std::string command = "exec " RENTH_BINARY " " + arguments + " > .bg.out 2> .bg.err";
      execl("/bin/sh", "sh", "-c", command.c_str(), nullptr);
      _exit(1);
    }
    return pid;
  }
  /// Waits for it; its exit status, or 128 and the signal.
  static int end(pid_t pid) {
    int status = 0;
    waitpid(pid, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  }

 private:
  Scratch scratch_;

 public:
  const std::filesystem::path folder = scratch_.path;
};

/// A quick study of a formula with noise-free responses in three parameters and a choice.
inline const char* const formula_study = R"toml([study]
name = "formula"
seed = 5
[[parameter]]
name = "a"
span = [0, 4]
[[parameter]]
name = "b"
span = [-1, 1]
step = 0.1
[[parameter]]
name = "c"
choices = ["red", "green"]
[[response]]
name = "y"
unit = "kW"
goal = "maximise"
[[response]]
name = "z"
goal = "minimise"
accept = { max = 3 }
[[response]]
name = "ratio"
derive = "y / (z + 10)"
[solver]
kind = "formula"
[solver.formula]
y = "10 - (a - 3)^2 - 4 * (b - 0.32)^2 + (c == 'green' ? 1 : 0)"
z = "a + 2 * b"
)toml";

}  // namespace renth::test
