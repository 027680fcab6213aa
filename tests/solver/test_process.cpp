#include <doctest/doctest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <fstream>
#include <renth/solver/collect.hpp>
#include <renth/solver/process.hpp>
#include <renth/solver/render.hpp>
#include <thread>

using namespace renth;

namespace {

struct Folder {
  std::filesystem::path path =
      std::filesystem::temp_directory_path() / ("renth-solver-" + std::to_string(::getpid()));
  Folder() {
    std::filesystem::remove_all(path);
    std::filesystem::create_directories(path);
  }
  ~Folder() { std::filesystem::remove_all(path); }
};

Outcome run(const Folder& f, const std::string& script, double timeout = 0) {
  const pid_t pid = start_kept({"sh", "-c", script}, f.path, timeout);
  waitpid(pid, nullptr, 0);
  return read_outcome(f.path).value();
}

void write(const std::filesystem::path& file, const std::string& text) {
  std::ofstream(file) << text;
}

Study study_with(const std::string& output, const Folder& f) {
  return parse_study(
      "[study]\nname = \"s\"\n[[parameter]]\nname = \"radius\"\nspan = [0, 1]\n[[parameter]]\nname = "
      "\"hull\"\nchoices = [\"steel\", \"glass fibre\"]\n"
      "[[axis]]\nname = \"t\"\npoints = [1, 2]\n[[response]]\nname = \"power\"\n[[response]]\nname = "
      "\"curve\"\nalong = \"t\"\n"
      "[solver]\nkind = \"process\"\ncommand = [\"solve\", \"{input}\", \"{output}\", \"{run}\"]\n" +
          output,
      f.path);
}

}  // namespace

TEST_CASE("the keeper tells how a solver ended, and keeps what it said") {
  const Folder f;
  CHECK(describe(run(f, "echo hello; echo trouble >&2; exit 7")) == "exit status 7");
  CHECK(last_words({f.path, {}, {}}) == "trouble");
  CHECK(run(f, "kill -SEGV $$").how == Outcome::How::signalled);
  const pid_t pid = start_kept({"/nowhere/solver"}, f.path, 0);
  waitpid(pid, nullptr, 0);
  CHECK(describe(*read_outcome(f.path)) == "could not be started: No such file or directory");
}

TEST_CASE("a time-out ends the whole process group, also one that ignores SIGTERM") {
  const Folder f;
  const Outcome o = run(
      f, "trap '' TERM; sh -c 'trap \"\" TERM; echo $$ > grandchild; sleep 60' & sleep 60; sleep 60", 0.3);
  CHECK(o.how == Outcome::How::timed_out);
  CHECK(o.seconds < 10);
  int grandchild = 0;
  std::ifstream(f.path / "grandchild") >> grandchild;
  REQUIRE(grandchild > 0);
  std::this_thread::sleep_for(std::chrono::milliseconds(100));
  std::ifstream stat("/proc/" + std::to_string(grandchild) + "/stat");
  std::string line;
  std::getline(stat, line);
  CHECK((line.empty() || line.find(") Z ") != std::string::npos));  // gone, or only waiting to be reaped
}

TEST_CASE("a living keeper is found by its lock, a dead one is not") {
  const Folder f;
  const pid_t pid = start_kept({"sleep", "30"}, f.path, 0);
  CHECK(living_keeper(f.path) == pid);
  kill(pid, SIGTERM);
  waitpid(pid, nullptr, 0);
  CHECK_FALSE(living_keeper(f.path));
  CHECK(read_outcome(f.path)->how == Outcome::How::stopped);
}

TEST_CASE("an outcome that is cut short or of another boot is not believed") {
  const Folder f;
  write(f.path / "outcome", "exited 0 1.5");
  CHECK_FALSE(read_outcome(f.path));
  write(f.path / "outcome", "exited 0 1.5 another-boot end\n");
  CHECK_FALSE(read_outcome(f.path));
}

TEST_CASE("templates take values at full precision, and unknown names are told with their line") {
  const Settings s = {{"radius", 0.1 + 0.2}, {"hull", std::string("glass fibre")}};
  CHECK(render_template("r={{radius}} h={{ hull }} n={{run}}", s, 12, "t") ==
        "r=0.30000000000000004 h=glass fibre n=12");
  CHECK_THROWS_WITH_AS(render_template("a\nb {{speed}}", s, 1, "in.template"),
                       doctest::Contains("in.template:2"), Error);
  CHECK_THROWS_AS(render_template("{{radius", s, 1, "t"), Error);
}

TEST_CASE("outputs are read from JSON, CSV and text") {
  const Folder f;
  const std::map<std::string, std::string> kinds = {
      {"output = \"json\"\n", "{\"power\": 1.25, \"curve\": [3, 4], \"more\": 1}"},
      {"output = \"csv\"\n", "power,curve_1,curve_2\n0,0,0\n1.25,3,4\n"},
      {"output = { power = { pattern = \"P *= *([-0-9.eE+]+)\" }, curve = { pattern = \"C=([0-9]+)\" } }\n",
       "P = 9\nC=3\nC=4\nP = 1.25\n"}};
  for (const auto& [spec, text] : kinds) {
    CAPTURE(spec);
    const Study study = study_with(spec, f);
    const RunFolder files = RunFolder::of(study, 1);
    std::filesystem::create_directories(files.folder);
    write(files.output, text);
    const auto values = collect_outputs(study, files);
    CHECK(values.at("power") == std::vector<double>{1.25});
    CHECK(values.at("curve") == std::vector<double>{3, 4});
    CHECK(render_command(study, files, 1)[3] == "1");
  }
}

TEST_CASE("every kind of rubbish has its own message") {
  const Folder f;
  const Study study = study_with("output = \"json\"\n", f);
  const RunFolder files = RunFolder::of(study, 1);
  std::filesystem::create_directories(files.folder);
  CHECK_THROWS_WITH_AS(collect_outputs(study, files), doctest::Contains("wrote no output"), Error);
  for (const auto& [text, says] : std::map<std::string, std::string>{
           {"", "is empty"},
           {"{\"power\": 1.2", "cut short"},
           {"{\"power\": 1}", "no curve"},
           {"{\"curve\": [1, 2]}", "no power"},
           {"{\"power\": NaN, \"curve\": [1, 2]}", "no JSON"},
           {"{\"power\": \"1\", \"curve\": [1, 2]}", "no number"},
           {"{\"power\": null, \"curve\": [1, 2]}", "no number"},
           {"{\"power\": 1, \"curve\": [1, 2, 3]}", "3 values and should have 2"},
           {"[1, 2]", "no power"},
           {"{\"power\": 1e999, \"curve\": [1, 2]}", "no JSON"}}) {
    CAPTURE(text);
    write(files.output, text);
    CHECK_THROWS_WITH_AS(collect_outputs(study, files), doctest::Contains(says.c_str()), Error);
  }
}
