#include <doctest/doctest.h>
#include <poll.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <fstream>
#include <renth/solver/collect.hpp>
#include <renth/solver/keeper.hpp>
#include <set>
#include <support_files.hpp>
#include <thread>

using namespace renth;
using namespace renth::test;
namespace fs = std::filesystem;

namespace {

/// Waits for `count` calls to end.
std::map<std::string, Outcome> wait_for(Keeper& keeper, std::size_t count) {
  std::map<std::string, Outcome> out;
  while (out.size() < count) {
    pollfd on{keeper.fd(), POLLIN, 0};
    REQUIRE(poll(&on, 1, 20'000) == 1);
    for (const KeeperEvent& e : keeper.events()) {
      REQUIRE(e.what != KeeperEvent::What::lost);
      if (e.what == KeeperEvent::What::ended) out[fs::path(e.folder).filename()] = e.outcome;
    }
  }
  return out;
}

void start(Keeper& keeper, const fs::path& folder, const std::string& script) {
  fs::create_directories(folder);
  keeper.start(folder, {"sh", "-c", script});
  keeper.flush();
}

/// Shell: waits for the file `go` in the call's folder, a minute at most.
const std::string until_written =
    "i=0; while [ ! -e go ] && [ $i -lt 3000 ]; do sleep 0.02; i=$((i + 1)); done; ";

Outcome run(const Scratch& f, const std::string& script, const CallLimits& limits = {}) {
  Keeper keeper(f.path, limits, {});
  start(keeper, f.path / "call", script);
  return wait_for(keeper, 1).begin()->second;
}

/// Until a call has written its number: the shell makes the file before it writes.
void wait_for_number(const fs::path& pid_file) {
  for (int pid = 0; pid == 0; usleep(10'000)) std::ifstream(pid_file) >> pid;
}

bool is_gone(const fs::path& pid_file) {
  int pid = 0;
  std::ifstream(pid_file) >> pid;
  REQUIRE(pid > 0);
  for (int i = 0; i < 400; ++i) {
    std::ifstream stat("/proc/" + std::to_string(pid) + "/stat");
    std::string line;
    if (!std::getline(stat, line) || line.find(") Z ") != std::string::npos) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(25));
  }
  return false;
}

}  // namespace

TEST_CASE("the keeper tells how a solver ended, and keeps what it said") {
  const Scratch f;
  CHECK(describe(run(f, "echo hello; echo trouble >&2; exit 7")) == "exit status 7");
  CHECK(last_words(f.path / "call") == "trouble");
  CHECK(f.read("call/stdout") == "hello\n");
  CHECK(read_outcome(f.path / "call")->code == 7);
  CHECK(run(f, "kill -SEGV $$").how == Outcome::How::signalled);
  Keeper keeper(f.path, {}, {});
  fs::create_directories(f.path / "call");
  keeper.start(f.path / "call", {"/nowhere/solver"});
  keeper.flush();
  CHECK(describe(wait_for(keeper, 1)["call"]) == "could not be started: No such file or directory");
}

TEST_CASE("so many at once as allowed, the others in order; the environment is inherited and added to") {
  const Scratch f;
  Keeper keeper(f.path, {.jobs = 2}, {{"ONE_MORE", "a b"}});
  for (int i = 0; i < 5; ++i)
    start(keeper, f.path / std::to_string(i), "echo $ONE_MORE $RENTH_FOLDER $HOME; sleep 0.2");
  const auto began = std::chrono::steady_clock::now();
  const auto ended = wait_for(keeper, 5);
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  CHECK(seconds > 0.55);  // three rounds of two
  CHECK(f.read("3/stdout") ==
        "a b " + (f.path / "3").string() + " " + (getenv("HOME") ? getenv("HOME") : "") + "\n");
  CHECK(ended.at("4").started > ended.at("0").started);
}

TEST_CASE("a time-out ends the whole process group, also one that ignores SIGTERM") {
  const Scratch f;
  const Outcome o =
      run(f, "trap '' TERM; sh -c 'trap \"\" TERM; echo $$ > grandchild; sleep 60' & sleep 60; sleep 60",
          {.timeout = 3});
  CHECK(o.how == Outcome::How::timed_out);
  CHECK(o.seconds < 30);
  CHECK(is_gone(f.path / "call" / "grandchild"));
}

TEST_CASE("what a solver leaves behind is ended, also what made a session of its own") {
  const Scratch f;
  const Outcome o = run(
      f,
      "setsid sh -c 'echo $$ > daemon; exec sleep 60' & while [ ! -s daemon ]; do sleep 0.01; done; exit 0");
  CHECK(o.how == Outcome::How::exited);
  CHECK(is_gone(f.path / "call" / "daemon"));
}

TEST_CASE("limits on memory and on the size of files hold for every process of the solver") {
  const Scratch f;
  // awk doubles a text until it may not have more.
  const Outcome memory =
      run(f, "awk 'BEGIN { s = \"x\"; while (length(s) < 4e8) s = s s }'", {.memory = 100'000'000});
  CHECK((memory.how == Outcome::How::signalled || memory.code != 0));
  CHECK(memory.peak_memory < 2e8);
  CHECK(run(f, "awk 'BEGIN { s = \"x\"; while (length(s) < 4e6) s = s s }'", {.memory = 100'000'000}).code ==
        0);
  const Outcome file = run(f, "exec head -c 10000000 /dev/zero", {.file_size = 1'000'000});
  CHECK(file.how == Outcome::How::signalled);
  CHECK(file.code == SIGXFSZ);
  CHECK(fs::file_size(f.path / "call" / "stdout") == 1'000'000);
}

TEST_CASE("a keeper outlives the one that asked, finishes what runs, starts no more, and can be taken over") {
  const Scratch f;
  const pid_t asker = fork();
  if (asker == 0) {
    Keeper keeper(f.path, {.jobs = 1}, {});
    start(keeper, f.path / "first", "touch began; " + until_written + "echo done > result");
    start(keeper, f.path / "second", "echo done > result");
    while (!fs::exists(f.path / "first" / "began")) usleep(10'000);
    kill(getpid(), SIGKILL);
  }
  waitpid(asker, nullptr, 0);
  auto found = Keeper::find(f.path);
  REQUIRE(found);
  std::vector<std::string> running;
  for (const KeeperEvent& e : found->events())
    if (e.what == KeeperEvent::What::running) running.push_back(fs::path(e.folder).filename());
  CHECK(running == std::vector<std::string>{"first"});
  f.write("first/go", "");
  CHECK(wait_for(*found, 1)["first"].code == 0);
  CHECK(f.read("first/result") == "done\n");
  CHECK_FALSE(fs::exists(f.path / "second" / "result"));
  start(*found, f.path / "third", "exit 3");  // it takes new work
  CHECK(wait_for(*found, 1)["third"].code == 3);
  const pid_t pid = found->pid();
  found.reset();
  for (int i = 0; i < 100 && kill(pid, 0) == 0; ++i)
    usleep(20'000);  // with nothing to do and nobody to ask, it leaves
  CHECK(kill(pid, 0) != 0);
  CHECK_FALSE(Keeper::find(f.path));
}

TEST_CASE("a keeper is taken over again and again while its calls end, and none is lost") {
  const Scratch f;
  const int calls = 200;
  std::optional<Keeper> keeper;
  keeper.emplace(f.path, CallLimits{.jobs = calls + 1}, std::map<std::string, std::string>{});
  for (int i = 0; i < calls; ++i)
    start(*keeper, f.path / std::to_string(i), "exec sleep 0." + std::to_string(300 + 2 * i));
  start(*keeper, f.path / "last", until_written);
  while (!fs::exists(f.path / "last" / "outcome")) usleep(1'000);  // all have been started
  std::set<std::string> ended;
  // Calls end between the moment that it accepts us and the one that it reads our greeting.
  for (bool more = true; more;) {
    auto next = Keeper::find(f.path);
    REQUIRE(next);
    std::set<std::string> running;
    for (const KeeperEvent& e : next->events())
      if (e.what == KeeperEvent::What::running) running.insert(fs::path(e.folder).filename());
    for (int i = 0; i < calls; ++i)
      if (const std::string name = std::to_string(i); running.count(name) == 0 && ended.insert(name).second)
        CHECK_MESSAGE(read_outcome(f.path / name).has_value(), name);
    more = running.size() > 1;
    keeper.emplace(std::move(*next));
  }
  f.write("last/go", "");
  CHECK(wait_for(*keeper, 1).count("last") == 1);
}

TEST_CASE("told to stop, a keeper ends all calls; a killed one takes its solvers with it") {
  const Scratch f;
  Keeper keeper(f.path, {.jobs = 2}, {});
  start(keeper, f.path / "one", "echo $$ > pid; exec sleep 60");
  start(keeper, f.path / "waiting-1", "exit 0");
  start(keeper, f.path / "two", "echo $$ > pid; exec sleep 60");
  wait_for(keeper, 1);
  for (const char* name : {"one", "two"}) wait_for_number(f.path / name / "pid");
  SUBCASE("told") {
    keeper.end_all();
    for (const auto& [name, outcome] : wait_for(keeper, 2)) CHECK(outcome.how == Outcome::How::stopped);
  }
  SUBCASE("killed") {
    kill(keeper.pid(), SIGKILL);
    pollfd on{keeper.fd(), POLLIN, 0};
    poll(&on, 1, 20'000);
    CHECK(keeper.events().back().what == KeeperEvent::What::lost);
    CHECK_FALSE(read_outcome(f.path / "one"));
  }
  CHECK(is_gone(f.path / "one" / "pid"));
  CHECK(is_gone(f.path / "two" / "pid"));
}

TEST_CASE("processes that a killed keeper left behind are found by their folder and ended") {
  const Scratch f;
  const pid_t child = fork();
  if (child == 0) {
    setenv("RENTH_FOLDER", (f.path / "lost").c_str(), 1);
    execlp("sleep", "sleep", "60", nullptr);
    _exit(1);
  }
  const std::string name_file = "/proc/" + std::to_string(child) + "/comm";
  for (std::string name; name != "sleep"; usleep(10'000)) std::ifstream(name_file) >> name;
  CHECK(end_orphans({f.path / "other"}) == 0);
  CHECK(end_orphans({f.path / "other", f.path / "lost"}) == 1);
  int status = 0;
  waitpid(child, &status, 0);
  CHECK(WIFSIGNALED(status));
}

TEST_CASE("an outcome that is cut short or of another boot is not believed") {
  const Scratch f;
  const Outcome o{Outcome::How::exited, 3, 1.5, 1e9, 4096, 8192};
  f.write("outcome", to_line(o, boot_id()));
  REQUIRE(read_outcome(f.path));
  CHECK(read_outcome(f.path)->code == 3);
  CHECK(read_outcome(f.path)->peak_memory == 4096);
  CHECK(read_outcome(f.path)->disk_left == 8192);
  f.write("outcome", to_line(o, "another-boot"));
  CHECK_FALSE(read_outcome(f.path));
  const std::string whole = to_line(o, boot_id());
  for (std::size_t n = 0; n + 2 < whole.size(); ++n) {
    f.write("outcome", whole.substr(0, n));
    CHECK_FALSE(read_outcome(f.path));
  }
}
