// What each verb costs on large studies: seconds, processor seconds and the most memory of the tool as a
// process, and how each grows beside what the theory says, as the exponent of its size. Use:
// bench-scale [runs|responses|parameters|threads|memory …]; all take about half an hour.
#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <functional>
#include <renth/numeric/random.hpp>
#include <string>
#include <vector>

extern char** environ;
namespace fs = std::filesystem;

namespace {

struct Cost {
  double seconds = 0, cpu = 0, megabytes = 0;
  int status = 0;
};

/// The tool in a folder, its words separated by blanks.
Cost renth(const fs::path& folder, const std::string& words) {
  std::vector<std::string> parts = {RENTH_BINARY};
  for (std::size_t at = 0; at < words.size();) {
    const std::size_t end = std::min(words.find(' ', at), words.size());
    parts.push_back(words.substr(at, end - at));
    at = end + 1;
  }
  std::vector<char*> argv;
  for (std::string& p : parts) argv.push_back(p.data());
  argv.push_back(nullptr);
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  posix_spawn_file_actions_addchdir_np(&files, folder.c_str());
  for (const int fd : {1, 2})
    posix_spawn_file_actions_addopen(&files, fd, fd == 1 ? "out.txt" : "err.txt",
                                     O_WRONLY | O_CREAT | O_TRUNC, 0666);
  const auto begin = std::chrono::steady_clock::now();
  pid_t pid = 0;
  if (posix_spawn(&pid, argv[0], &files, nullptr, argv.data(), environ) != 0) std::abort();
  posix_spawn_file_actions_destroy(&files);
  int status = 0;
  rusage used{};
  wait4(pid, &status, 0, &used);
  const auto seconds_of = [](const timeval& t) { return double(t.tv_sec) + 1e-6 * double(t.tv_usec); };
  return {std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count(),
          seconds_of(used.ru_utime) + seconds_of(used.ru_stime), double(used.ru_maxrss) / 1024,
          WIFEXITED(status) ? WEXITSTATUS(status) : 128};
}

/// A study and a table of runs: smooth responses of six parameters each, with a little noise.
void make_study(const fs::path& folder, int runs, int parameters, int responses) {
  fs::remove_all(folder);
  fs::create_directories(folder);
  std::ofstream study(folder / "study.toml"), table(folder / "runs.csv");
  study << "[study]\nname = \"scale\"\n";
  for (int j = 0; j < parameters; ++j) {
    study << fmt::format("[[parameter]]\nname = \"p{}\"\nspan = [0, 1]\nscatter = {{ normal = 0.02 }}\n", j);
    table << fmt::format("p{},", j);
  }
  for (int k = 0; k < responses; ++k) {
    study << fmt::format("[[response]]\nname = \"y{}\"\n{}", k,
                         k == 0   ? "goal = \"maximise\"\n"
                         : k == 1 ? "accept = { min = -1 }\n"
                                  : "");
    table << fmt::format("{}y{}", k > 0 ? "," : "", k);
  }
  study << "[solver]\nkind = \"manual\"\n";
  renth::Stream stream(1, "scale");
  std::vector<double> x(static_cast<std::size_t>(parameters));
  const auto at = [&](int j) { return x[std::size_t(j % parameters)]; };
  for (int i = 0; i < runs; ++i) {
    table << "\n";
    for (double& v : x) table << fmt::format("{:.6g},", v = stream.uniform());
    for (int k = 0; k < responses; ++k)
      table << fmt::format("{}{:.8g}", k > 0 ? "," : "",
                           std::sin(3 * at(k) + 2 * at(k + 1)) + at(k + 2) * at(k + 3) - 0.7 * at(k + 4) +
                               0.3 * at(k + 5) + 0.01 * stream.normal());
  }
  table << "\n";
}

struct Step {
  std::string name, words, theory;
};
const std::vector<Step> steps = {{"import", "import runs.csv", "cells"},
                                 {"list", "runs", "cells"},
                                 {"fit", "fit", "runs up to 4 000, then less; responses"},
                                 {"trust", "trust", "cells"},
                                 {"rank", "rank", "responses; parameters²"},
                                 {"predict", "predict", "reading the surrogates"},
                                 {"seek", "seek", "parameters²"},
                                 {"tolerance", "tolerance", "parameters²"},
                                 {"page", "explore -o page.html", "cells"},
                                 {"report", "report -o report.html", "cells"}};

/// All steps at each size, and the exponent of the last growth in processor seconds.
void grow(const char* title, const std::vector<int>& sizes, const std::string& fit,
          const std::function<void(const fs::path&, int)>& make) {
  fmt::print("\n{} (seconds, MB){}\n{:10}", title, fit.empty() ? "" : ", renth " + fit, "");
  for (const int s : sizes) fmt::print("{:>18}", s);
  fmt::print("   exponent\n");
  const fs::path root = fs::temp_directory_path() / fmt::format("renth-scale-{}", getpid());
  for (const int s : sizes) make(root / std::to_string(s), s);
  for (const Step& step : steps) {
    fmt::print("{:10}", step.name);
    std::vector<Cost> costs;
    for (const int s : sizes) {
      costs.push_back(renth(root / std::to_string(s), step.name == "fit" && !fit.empty() ? fit : step.words));
      const Cost& c = costs.back();
      fmt::print("{:>11.2f} {:>5.0f}{}", c.seconds, c.megabytes, c.status > 1 ? "!" : " ");
      std::fflush(stdout);
    }
    const std::size_t n = sizes.size();
    fmt::print("   {:.2f} ({})\n",
               n < 2 ? 0
                     : std::log(costs[n - 1].cpu / costs[n - 2].cpu) /
                           std::log(double(sizes[n - 1]) / double(sizes[n - 2])),
               step.theory);
  }
  fs::remove_all(root);
}

/// Settings of six parameters as a table.
void write_points(const fs::path& folder, int count) {
  std::ofstream points(folder / "points.csv");
  points << "p0,p1,p2,p3,p4,p5\n";
  renth::Stream stream(2, "points");
  for (int i = 0; i < count; ++i)
    for (int j = 0; j < 6; ++j) points << fmt::format("{:.6g}{}", stream.uniform(), j < 5 ? "," : "\n");
}

/// A study whose solver is a formula of four parameters and three responses, with a fit.
void make_formula_study(const fs::path& folder) {
  fs::create_directories(folder);
  std::ofstream study(folder / "study.toml");
  study << "[study]\nname = \"refined\"\n";
  for (const char* p : {"a", "b", "c", "d"})
    study << fmt::format("[[parameter]]\nname = \"{}\"\nspan = [0, 1]\n", p);
  for (int k = 0; k < 3; ++k) study << fmt::format("[[response]]\nname = \"y{}\"\ngoal = \"maximise\"\n", k);
  study << "[solver]\nkind = \"formula\"\n[solver.formula]\ny0 = \"sin(5 * a) * b + c^2\"\n"
           "y1 = \"exp(a - d) * cos(4 * c)\"\ny2 = \"a * b * c * d + sin(9 * b)\"\n";
  study.close();
  renth(folder, "plan latin-hypercube --runs 80");
  renth(folder, "run");
  renth(folder, "fit");
}

/// One thread against two.
void threads() {
  const fs::path root = fs::temp_directory_path() / fmt::format("renth-scale-{}", getpid()),
                 many = root / "many", refined = root / "refined", again = root / "again";
  make_study(many, 400, 6, 4);
  renth(many, "import runs.csv");
  write_points(many, 300'000);
  make_formula_study(refined);
  fmt::print("\none thread and two, seconds\n");
  for (const std::string& words :
       {std::string("fit"), std::string("plan latin-hypercube --runs 100 --dry-run"),
        std::string("plan optimal --runs 60 --restarts 100 --dry-run"),
        std::string("predict --points points.csv -o predicted.csv"),
        std::string("refine --until 0.99999999 --budget 8")}) {
    const bool refine = words.starts_with("refine");
    const fs::path folder = refine ? refined : many;
    if (refine) fs::copy(refined, again, fs::copy_options::recursive);

    const Cost one = renth(folder, words + " --threads 1"),
               two = renth(refine ? again : folder, words + " --threads 2");
    fmt::print("{:48} {:8.2f} {:8.2f}   {:.2f} times{}\n", words, one.seconds, two.seconds,
               one.seconds / two.seconds, one.status > 1 || two.status > 1 ? " !" : "");
    std::fflush(stdout);
  }
  fs::remove_all(root);
}

/// A million predictions.
void memory() {
  const fs::path folder = fs::temp_directory_path() / fmt::format("renth-scale-{}", getpid());
  make_study(folder, 200, 6, 2);
  renth(folder, "import runs.csv");
  renth(folder, "fit kriging");
  write_points(folder, 1'000'000);
  const Cost c = renth(folder, "predict --points points.csv -o predicted.csv");
  fmt::print("\na million predictions of two krigings on 200 runs: {:.1f} s, {:.0f} MB at most\n", c.seconds,
             c.megabytes);
  fs::remove_all(folder);
}

}  // namespace

int main(int argc, char** argv) {
  const std::vector<std::string> asked(argv + 1, argv + argc);
  const auto wanted = [&](const char* what) {
    return asked.empty() || std::find(asked.begin(), asked.end(), what) != asked.end();
  };
  if (wanted("runs"))
    grow("runs, 6 parameters, 2 responses", {1000, 10'000, 100'000}, "",
         [](const fs::path& f, int n) { make_study(f, n, 6, 2); });
  if (wanted("responses"))
    grow("responses, 10 000 runs of 10 parameters", {20, 200}, "fit polynomial --model quadratic",
         [](const fs::path& f, int q) { make_study(f, 10'000, 10, q); });
  if (wanted("parameters"))
    grow("parameters, 300 runs, 3 responses", {10, 30, 100}, "",
         [](const fs::path& f, int d) { make_study(f, 300, d, 3); });
  if (wanted("threads")) threads();
  if (wanted("memory")) memory();
}
