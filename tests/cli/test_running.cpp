#include <doctest/doctest.h>

#include <cli/solver_study.hpp>
#include <random>

using namespace renth::test;

namespace {

void kill_often(int kills, int runs) {
  const Tool tool;
  make_study(tool, "sleep 0.0$(( $3 % 3 ))\n" + answer);
  REQUIRE(tool("plan random --runs " + std::to_string(runs)).status == 0);
  std::mt19937 random(1);
  for (int kill_number = 0; kill_number < kills; ++kill_number) {
    const pid_t pid = tool.start("run -q");
    nap(10 + static_cast<int>(random() % 110));
    kill(pid, SIGKILL);
    Tool::end(pid);
  }
  const Answer last = tool("run -q --json");
  REQUIRE_MESSAGE(last.status == 0, last.err);
  const auto all = tool("runs --json").json()["runs"];
  REQUIRE(all.size() == static_cast<std::size_t>(runs));
  for (const auto& r : all) {
    CHECK(r["status"] == "done");
    CHECK(r["responses"]["y"] == r["point"]["x"]);
  }
  const auto ended = starts(tool);
  CHECK(ended.size() == static_cast<std::size_t>(runs));
  for (const auto& [run, times] : ended) CHECK_MESSAGE(times == 1, run);
  CHECK(tool.shell("sqlite3 study.db 'pragma integrity_check; pragma foreign_key_check'").out == "ok\n");
  CHECK(tool("runs --journal --json").json()["journal"].size() >= static_cast<std::size_t>(runs));
}

}  // namespace

TEST_CASE("killed at random moments, no finished run is lost or repeated") {
  kill_often(20, 150);
}
TEST_CASE("killed two hundred times over two thousand runs, the same" * doctest::test_suite("long")) {
  kill_often(200, 2000);
}

TEST_CASE("solvers that were going when renth was killed are waited for, not started again") {
  const Tool tool;
  make_study(tool, until_written(tool) + answer);
  tool("plan random --runs 2");
  const pid_t killed = tool.start("run -q");
  REQUIRE(wait_until([&] { return starts(tool, "start").size() == 2; }));
  kill(killed, SIGKILL);
  Tool::end(killed);
  const pid_t again = tool.start("run -q --json");
  nap(300);
  CHECK(starts(tool).empty());
  tool.write("go", "");
  CHECK(Tool::end(again) == 0);
  CHECK(nlohmann::json::parse(tool.read(".bg.out"))["adopted"] == 2);
  CHECK(starts(tool, "start").size() == 2);
  for (const auto& [run, times] : starts(tool, "start")) CHECK(times == 1);
}

TEST_CASE("Ctrl-C once finishes what runs, twice ends it; both go on later") {
  const Tool tool;
  make_study(tool, until_written(tool) + answer);
  tool("plan random --runs 6");
  const auto says_it_finishes = [&] { return contains(tool.read(".bg.err"), "finishing what runs"); };
  pid_t pid = tool.start("run -q");
  REQUIRE(wait_until([&] { return starts(tool, "start").size() == 2; }));
  kill(pid, SIGINT);
  REQUIRE(wait_until(says_it_finishes));
  tool.write("go", "");
  CHECK(Tool::end(pid) == 1);
  CHECK(runs_of(tool, "status == 'done'").size() == 2);
  tool.shell("rm go");
  pid = tool.start("run -q");
  REQUIRE(wait_until([&] { return starts(tool, "start").size() == 4; }));
  kill(pid, SIGINT);
  REQUIRE(wait_until(says_it_finishes));
  const auto before = std::chrono::steady_clock::now();
  kill(pid, SIGINT);
  CHECK(Tool::end(pid) == 1);  // though its solvers would wait for ever
  CHECK(std::chrono::steady_clock::now() - before < std::chrono::seconds(20));
  CHECK(runs_of(tool, "status == 'planned'").size() == 4);
  tool.write("go", "");
  CHECK(tool("run -q").status == 0);
  for (const auto& [run, times] : starts(tool)) CHECK(times == 1);
}

TEST_CASE("failures are kept with what the solver said, retried as told, and exit is 3") {
  const Tool tool;
  make_study(tool, "if [ $(( $3 % 3 )) = 0 ]; then echo 'mesh is tangled' >&2; exit 9; fi\n" + answer,
             "retries = 1\n");
  tool("plan random --runs 6");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 3);
  CHECK(a.json()["failed"] == 2);
  CHECK(a.json()["failures"][0]["message"] == "exit status 9: mesh is tangled");
  CHECK(starts(tool, "start")["3"] == 2);  // one retry
  CHECK(tool("run -q").status == 0);       // nothing is left to do
  CHECK(starts(tool, "start")["3"] == 2);
  make_study(tool, answer);
  CHECK(tool("run -q --retry-failed").status == 0);
  CHECK(tool("runs --json --where \"status == 'done'\"").json()["runs"].size() == 6);
}

TEST_CASE("a second run on the same study is refused with a clear message") {
  const Tool tool;
  make_study(tool, until_written(tool) + answer);
  tool("plan random --runs 1");
  const pid_t pid = tool.start("run -q");
  REQUIRE(wait_until([&] { return starts(tool, "start").size() == 1; }));
  const Answer second = tool("run -q");
  CHECK(second.status == 4);
  CHECK(second.err.find("another renth is running this study") != std::string::npos);
  CHECK(tool("runs").status == 0);  // looking is always allowed
  tool.write("go", "");
  CHECK(Tool::end(pid) == 0);
}

TEST_CASE("time-outs end a run, and a repeatable solver is not asked twice for the same settings") {
  const Tool tool;
  make_study(tool, "[ $3 = 1 ] && sleep 30\n" + answer, "timeout = \"2 s\"\n");
  tool("plan full-factorial --levels 2 --order standard");
  tool("plan full-factorial --levels 2 --order standard --batch again");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 3);
  CHECK(a.json()["failures"][0]["message"].get<std::string>().find("its time was up") != std::string::npos);
  CHECK(a.json()["copied"] == 1);
  CHECK(a.json()["failed"] == 2);  // what was not computed for one is not computed for the other
  CHECK(starts(tool, "start").size() == 2);
}

TEST_CASE("the demo tells the whole loop and leaves a study" * doctest::test_suite("long")) {
  const Tool tool;
  const Answer demo = tool("demo buoy");
  REQUIRE_MESSAGE(demo.status == 0, demo.err);
  CHECK(demo.out.find("the hull floats too low") != std::string::npos);
  CHECK(demo.out.find("proposal 1, run") != std::string::npos);
  CHECK(std::filesystem::exists(tool.folder / "buoy" / "contour.svg"));
  const auto trust = tool("-s buoy trust --json").json();
  for (const auto& r : trust["responses"])
    if (r["response"] == "absorbed") CHECK(r["quality"]["along"].size() == 7);
  const Answer sheltered = tool("-s buoy seek --scenario sheltered --json");
  CHECK(sheltered.json()["proposals"][0]["point"]["hull"] == "steel");
  CHECK(sheltered.json()["proposals"][0]["responses"]["mass"]["mean"].get<double>() <= 120 + 1e-6);
}

TEST_CASE("the tank study measures with scatter: replicates are run, and lack of fit is judged") {
  const Tool tool;
  tool("init tank --demo tank");
  CHECK(tool("-s tank plan --dry-run --json").json()["method"] == "central-composite");  // it is noisy
  CHECK(tool("-s tank plan full-factorial --levels 3 --replicates 2 --json").json()["runs"].size() == 54);
  CHECK(tool("-s tank run -q --json").json()["copied"] == 0);
  const auto fit = tool("-s tank fit polynomial --model quadratic --json").json();
  CHECK(fit["models"][0]["quality"]["sigma"].get<double>() > 0.005);
  CHECK(tool("-s tank rank --json").json()["responses"][0]["method"] == "sobol");
}
