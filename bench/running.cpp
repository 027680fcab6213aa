// What running costs beside the solver: 10 000 runs of a tiny one against the plain loop that makes the same
// folders and files (input, output, stdout, stderr, and how it ended) and starts the same program with
// posix_spawn, two at a time, without a store.
#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <string>
#include <vector>

extern char** environ;
namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

namespace {

double since(Clock::time_point then) {
  return std::chrono::duration<double>(Clock::now() - then).count();
}

pid_t start(const std::vector<std::string>& words, const std::string& folder) {
  std::vector<char*> argv;
  for (const std::string& w : words) argv.push_back(const_cast<char*>(w.c_str()));
  argv.push_back(nullptr);
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  posix_spawn_file_actions_addchdir_np(&files, folder.c_str());
  posix_spawn_file_actions_addopen(&files, 0, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&files, 1, "stdout", O_WRONLY | O_CREAT | O_TRUNC, 0666);
  posix_spawn_file_actions_addopen(&files, 2, "stderr", O_WRONLY | O_CREAT | O_TRUNC, 0666);
  pid_t pid = 0;
  if (posix_spawnp(&pid, argv[0], &files, nullptr, argv.data(), environ) != 0) std::abort();
  posix_spawn_file_actions_destroy(&files);
  return pid;
}

double plain_loop(const fs::path& root, int runs) {
  fs::create_directories(root / "runs");
  const auto begin = Clock::now();
  std::map<pid_t, fs::path> going;
  const auto reap = [&] {
    int status = 0;
    const pid_t pid = wait(&status);
    const std::string file = (going.at(pid) / "outcome").string(),
                      text = fmt::format("exited {}\n", WEXITSTATUS(status));
    const int out = open(file.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    if (write(out, text.data(), text.size()) < 0) std::abort();
    close(out);
    going.erase(pid);
  };
  for (int i = 1; i <= runs; ++i) {
    if (going.size() == 2) reap();
    const fs::path folder = root / "runs" / fmt::format("{:06}", i);
    mkdir(folder.c_str(), 0777);
    const std::string input = (folder / "tiny.in").string(),
                      text = fmt::format("x = {}\nrun = {}\n", i / 7.0, i);
    const int file = open(input.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    if (write(file, text.data(), text.size()) < 0) std::abort();
    close(file);
    going[start({RENTH_TINY_SOLVER, input, (folder / "output.json").string()}, folder.string())] = folder;
  }
  while (!going.empty()) reap();
  return since(begin);
}

struct Cost {
  double seconds = 0, peak_mb = 0;
};

Cost renth(const fs::path& root, int runs) {
  fs::create_directories(root);
  std::ofstream(root / "tiny.in.template") << "x = {{x}}\nrun = {{run}}\n";
  std::ofstream(root / "study.toml")
      << "[study]\nname = \"tiny\"\n[[parameter]]\nname = \"x\"\nspan = [0, 1]\n[[response]]\nname = \"y\"\n"
      << "[solver]\nkind = \"process\"\ncommand = [\"" << RENTH_TINY_SOLVER
      << "\", \"{input}\", \"{output}\"]\ninput = \"tiny.in.template\"\noutput = \"json\"\njobs = 2\n";
  const std::string plan =
      fmt::format("{} -s {} plan random --runs {} -q > /dev/null", RENTH_BINARY, root.string(), runs);
  if (std::system(plan.c_str()) != 0) std::abort();
  const auto begin = Clock::now();
  const pid_t pid = start({RENTH_BINARY, "-s", root.string(), "run", "-q"}, root.string());
  int status = 0;
  rusage usage{};
  wait4(pid, &status, 0, &usage);
  if (!WIFEXITED(status) || WEXITSTATUS(status) != 0) std::abort();
  return {since(begin), static_cast<double>(usage.ru_maxrss) / 1024};
}

}  // namespace

int main(int argc, char** argv) {
  const int runs = argc > 1 ? std::atoi(argv[1]) : 10'000, rounds = argc > 2 ? std::atoi(argv[2]) : 3;
  std::string name = (fs::temp_directory_path() / "renth-bench-XXXXXX").string();
  const fs::path root = mkdtemp(name.data());
  std::vector<double> ratios, loops, ours;
  double peak = 0;
  for (int r = 0; r < rounds; ++r) {  // side by side, so that whatever else the machine does falls on both
    loops.push_back(plain_loop(root / fmt::format("loop{}", r), runs));
    const Cost cost = renth(root / fmt::format("renth{}", r), runs);
    ours.push_back(cost.seconds);
    peak = cost.peak_mb;
    ratios.push_back(ours.back() / loops.back());
    fmt::print("{} runs: plain loop {:.2f} s, renth {:.2f} s: {:.2f} times\n", runs, loops.back(),
               ours.back(), ratios.back());
  }
  std::sort(ratios.begin(), ratios.end());
  const double small = renth(root / "small", runs / 10).peak_mb;
  fmt::print("median {:.2f} (limit 1.3); peak memory of renth {:.0f} MB for {} runs, {:.0f} MB for {}\n",
             ratios[ratios.size() / 2], peak, runs, small, runs / 10);
  fs::remove_all(root);
}
