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

namespace renth::test {

struct Answer {
  int status = 0;
  std::string out, err;
  nlohmann::json json() const { return nlohmann::json::parse(out); }
};

inline std::string slurp(const std::filesystem::path& file) {
  std::ostringstream text;
  text << std::ifstream(file, std::ios::binary).rdbuf();
  return text.str();
}

/// A scratch folder in which the tool is called.
class Tool {
 public:
  Tool() {
    std::string name = (std::filesystem::temp_directory_path() / "renth-cli-XXXXXX").string();
    folder = mkdtemp(name.data());
  }
  ~Tool() { std::filesystem::remove_all(folder); }
  Tool(const Tool&) = delete;
  Tool& operator=(const Tool&) = delete;

  Answer shell(const std::string& command) const {
    const std::string whole =
        "cd '" + folder.string() + "' && { " + command + "\n} > .out 2> .err < /dev/null";
    const int status = std::system(whole.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128, slurp(folder / ".out"), slurp(folder / ".err")};
  }
  Answer operator()(const std::string& arguments) const {
    return shell(std::string(RENTH_BINARY) + " " + arguments);
  }
  void write(const std::string& file, const std::string& text) const {
    std::ofstream(folder / file, std::ios::binary) << text;
  }
  std::string read(const std::string& file) const { return slurp(folder / file); }

  std::filesystem::path folder;
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
