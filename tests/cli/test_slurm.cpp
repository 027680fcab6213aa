// A real scheduler: a private cluster of one node that scripts/slurm-local.sh starts for these tests.
#include <doctest/doctest.h>

#include <cli/solver_study.hpp>

using namespace renth::test;

namespace {

/// One cluster for all these tests, ended with the process.
class Cluster {
 public:
  Cluster() {
    const std::string script = std::string(RENTH_TESTS) + "/../scripts/slurm-local.sh";
    stop_ = script + " stop " + folder_.path.string() + " > /dev/null 2>&1";
    REQUIRE(std::system((script + " start " + folder_.path.string() + " > /dev/null").c_str()) == 0);
    setenv("SLURM_CONF", (folder_.path / "slurm.conf").c_str(), 1);
  }
  ~Cluster() { [[maybe_unused]] const int status = std::system(stop_.c_str()); }
  static const Cluster& need() {
    static const Cluster one;
    return one;
  }
  void signal_controller(int signal) const {
    int pid = 0;
    std::ifstream(folder_.path / "run/slurmctld.pid") >> pid;
    REQUIRE(pid > 1);
    kill(pid, signal);
  }

 private:
  Scratch folder_;
  std::string stop_;
};

/// A study on the cluster; the solver notes every start and end.
void make_cluster_study(const Tool& tool, const std::string& body, const std::string& cluster,
                        const std::string& more = "") {
  Cluster::need();
  tool.write("solve.sh", "echo \"start $3\" >> '" + tool.folder.string() +
                             "/log'\nx=$(sed -n 's/.*\"x\": \\([0-9.e-]*\\).*/\\1/p' \"$1\")\n" + body +
                             "\necho \"{\\\"y\\\": $x}\" > \"$2\"\necho \"end $3\" >> '" +
                             tool.folder.string() + "/log'\n");
  tool.write("study.toml",
             "[study]\nname = \"s\"\n[[parameter]]\nname = \"x\"\nspan = [0, 1]\n[[response]]\nname = "
             "\"y\"\n[solver]\nkind = \"slurm\"\noutput = "
             "\"json\"\ncommand = [\"sh\", \"{study}/solve.sh\", \"{input}\", \"{output}\", \"{run}\"]\n" +
                 more + "[solver.slurm]\n" + cluster);
}

int count(const Tool& tool, const std::string& what, int run) {
  int n = 0;
  std::istringstream log(tool.read("log"));
  for (std::string word, id; log >> word >> id;) n += word == what && id == std::to_string(run);
  return n;
}

}  // namespace

TEST_CASE(
    "500 runs through Slurm with 5 % failing are all accounted for, though the client is killed in the "
    "middle" *
    doctest::test_suite("long")) {
  const Tool tool;
  make_cluster_study(tool, "[ $(( $3 % 20 )) = 7 ] && { echo 'mesh is tangled' >&2; exit 9; }",
                     "chunk = 10\ntime = \"10\"\n");
  tool("plan random --runs 500");
  const pid_t client = tool.start("run -q");
  REQUIRE(wait_until([&] { return tool.read("log").size() > 400; }));
  kill(client, SIGKILL);
  Tool::end(client);
  const Answer second = tool("run -q --json");
  CHECK(second.status == 3);
  const auto summary = second.json();
  CHECK(summary["submitted"] == 0);  // nothing is given to the cluster twice
  CHECK(summary["scheduler_calls"] <= 20);
  const auto runs = tool("runs --json").json()["runs"];
  int done = 0, failed = 0;
  for (const auto& r : runs) {
    const int id = r["id"];
    done += r["status"] == "done";
    failed += r["status"] == "failed";
    CHECK((r["status"] == "failed") == (id % 20 == 7));
    if (r["status"] == "done")
      CHECK(r["responses"]["y"] == r["point"]["x"]);
    else
      CHECK(r["message"] == "exit status 9: mesh is tangled");
  }
  CHECK(done == 475);
  CHECK(failed == 25);
  std::map<std::string, int> starts;
  std::istringstream log(tool.read("log"));
  for (std::string word, id; log >> word >> id;)
    if (word == "start") ++starts[id];
  CHECK(starts.size() == 500);
  for (const auto& [id, times] : starts) CHECK_MESSAGE(times == 1, id);
  CHECK(tool("runs --journal --json").json()["journal"].size() == 500);
}

TEST_CASE(
    "the command line may leave; what has ended is collected later, and cancelled tasks are told apart") {
  const Tool tool;
  make_cluster_study(tool, "[ $3 -gt 2 ] && sleep 60", "chunk = 2\noptions = [\"--exclusive=user\"]\n");
  tool("plan random --runs 6");
  const Answer leave = tool("run --no-wait -q --json");
  CHECK(leave.status == 0);
  CHECK(leave.json()["queued"] == 6);
  REQUIRE(wait_until([&] { return count(tool, "end", 2) == 1 && count(tool, "start", 5) == 1; }));
  // What a solver wrote last is seen a little before its call has ended.
  int collected = 0;
  Answer part;
  REQUIRE(wait_until([&] {
    part = tool("run --collect -q --json");
    return part.status != 0 || (collected += part.json()["done"].get<int>()) >= 2;
  }));
  CHECK(part.status == 0);
  CHECK(collected == 2);
  CHECK(part.json()["queued"] == 4);
  const std::string toml = tool.read("study.toml");
  tool.write("study.toml", toml.substr(0, toml.find("kind = \"slurm\"")) +
                               "kind = \"process\"\noutput = \"json\"\ncommand = [\"true\"]\n");
  const Answer changed = tool("run -q");  // another kind of solver would make them a second time
  CHECK(changed.status == 2);
  CHECK(contains(changed.err, "a cluster has runs of this study"));
  tool.write("study.toml", toml);
  const Answer cancelled = tool("run --cancel -q --json");
  CHECK(cancelled.status == 3);
  CHECK(cancelled.json()["failed"] == 4);
  CHECK(message(tool, 3).rfind("cancelled on the cluster", 0) ==
        0);  // and what its shell said last, if it came to that
  CHECK(message(tool, 4) == "cancelled on the cluster before it began");
  // Nothing of a cancelled task goes on.
  CHECK(wait_until(
      [&] { return tool.shell("pgrep -f '" + tool.folder.string() + "/[s]olve.sh'").status != 0; }));
  make_cluster_study(tool, "", "chunk = 4\n");
  CHECK(tool("run --retry-failed -q").status == 0);
  CHECK(tool("runs --json --where \"status == 'done'\"").json()["runs"].size() == 6);
}

TEST_CASE("a call's own time-out, a failed node and a killed task each have their message; retries follow") {
  const Tool tool;
  SUBCASE("time-out of a call") {
    make_cluster_study(tool, "[ $3 = 1 ] && sleep 30", "chunk = 2\n", "timeout = 4\n");
    tool("plan random --runs 2");
    const Answer a = tool("run -q --json");
    CHECK(a.status == 3);
    CHECK(message(tool, 1).find("its time was up") != std::string::npos);
    CHECK(a.json()["done"] == 1);  // the rest of its task goes on
  }
  SUBCASE("node failure") {
    make_cluster_study(tool, "[ -e '" + tool.folder.string() + "/healed' ] || sleep 60", "chunk = 1\n");
    tool("plan random --runs 2");
    tool("run --no-wait -q");
    REQUIRE(wait_until([&] { return count(tool, "start", 1) + count(tool, "start", 2) == 2; }));
    tool.shell("scontrol update nodename=localhost state=down reason=test");
    CHECK(wait_until([&] { return tool.shell("squeue -h -t R,CG | grep -q .").status != 0; }));
    const Answer a = tool("run --collect -q --json");
    CHECK(a.json()["failed"] == 2);
    CHECK(message(tool, 1).find("its node failed") == 0);
    tool.shell("scontrol update nodename=localhost state=resume; touch healed");
    CHECK(tool("run --retry-failed -q").status == 0);
  }
  SUBCASE("the task itself is killed") {
    make_cluster_study(tool,
                       "[ -e '" + tool.folder.string() + "/again' ] || { touch '" + tool.folder.string() +
                           "/again'; sleep 60; }",
                       "chunk = 1\n", "retries = 1\n");
    tool("plan random --runs 1");
    const pid_t client = tool.start("run -q --json");
    REQUIRE(wait_until([&] { return count(tool, "start", 1) == 1; }));
    REQUIRE(wait_until([&] { return std::filesystem::exists(tool.folder / "again"); }));
    tool.shell("pkill -KILL -f '[s]lurm_script'; pkill -KILL -f '" + tool.folder.string() + "/[s]olve.sh'");
    CHECK(Tool::end(client) == 0);  // retried, and done
    CHECK(count(tool, "start", 1) == 2);
    const auto journal = tool("runs --journal --json").json()["journal"];
    REQUIRE(journal.size() == 2);
    CHECK(journal[0]["outcome"].get<std::string>().find("without a word") != std::string::npos);
    CHECK(journal[1]["outcome"] == "done");
  }
}

// Slurm counts time limits in minutes: run it with --test-suite=minutes.
TEST_CASE("a task out of time fails the call that ran, and the rest of its chunk is submitted again" *
          doctest::test_suite("minutes")) {
  const Tool tool;
  make_cluster_study(tool, "[ $3 = 2 ] && { echo 'step 17'; sleep 600; }", "chunk = 3\ntime = \"1\"\n");
  tool("plan random --runs 3");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 3);
  CHECK(a.json()["submitted"] == 4);
  CHECK(a.json()["done"] == 2);
  CHECK(message(tool, 2).rfind("ended by the cluster, the task's time was up", 0) == 0);
  CHECK_MESSAGE(contains(message(tool, 2), "step 17"), message(tool, 2));
  const auto journal = tool("runs --journal --only 2 --json").json()["journal"];
  CHECK(journal[0]["started"].get<double>() > 1e9);
  CHECK(count(tool, "start", 1) == 1);
}

TEST_CASE("what the scheduler refuses, or a scheduler that does not answer, loses nothing") {
  const Tool tool;
  make_cluster_study(tool, "", "partition = \"nowhere\"\n");
  tool("plan random --runs 3");
  const Answer refused = tool("run -q");
  CHECK(refused.status == 4);
  CHECK(refused.err.find("nowhere") + refused.err.find("partition") != 2 * std::string::npos);
  CHECK(tool("runs --json --where \"status == 'planned'\"").json()["runs"].size() == 3);
  tool.write("dead.conf",
             "ClusterName=dead\nSlurmctldHost=localhost(127.0.0.1)\nSlurmctldPort=9\nAuthType=auth/"
             "munge\nMessageTimeout=2\n"
             "PluginDir=/usr/lib/x86_64-linux-gnu/slurm-wlm\nNodeName=localhost\n");
  make_cluster_study(tool, "", "");
  const Answer silent =
      tool.shell("SLURM_CONF='" + tool.folder.string() + "/dead.conf' " RENTH_BINARY " run -q");
  CHECK(silent.status == 4);
  CHECK(tool("runs --json --where \"status == 'planned'\"").json()["runs"].size() == 3);
  CHECK(tool("run -q").status == 0);
}

TEST_CASE(
    "while it waits, a client outlasts a scheduler that falls silent, and collects what ends meanwhile" *
    doctest::test_suite("long")) {
  const Tool tool;
  make_cluster_study(tool, until_written(tool), "chunk = 1\n");
  tool("plan random --runs 3");
  const pid_t client = tool.start("run -q --json");
  REQUIRE(wait_until([&] { return starts(tool, "start").size() == 3; }));
  Cluster::need().signal_controller(SIGSTOP);
  nap(3000);  // an answer that was already under way, however busy the machine
  tool.write("go", "");
  const int status = Tool::end(client);
  Cluster::need().signal_controller(SIGCONT);
  CHECK(status == 0);
  const auto summary = nlohmann::json::parse(tool.read(".bg.out"));
  CHECK(summary["done"] == 3);
  CHECK(has_note(summary, "scheduler_silent"));
}

TEST_CASE("killed between submitting and noting it, a submission is found again by its name") {
  const Tool tool;
  make_cluster_study(tool, "sleep 2", "chunk = 2\n");
  tool("plan random --runs 4");
  tool("run --no-wait -q");
  // What a client killed at that moment leaves behind: the number of the job is not known.
  tool.shell("sqlite3 study.db \"update submission set job = ''\"");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 0);
  CHECK(a.json()["submitted"] == 0);
  CHECK(count(tool, "start", 1) == 1);
  // One that never reached the scheduler is given to it again.
  tool("plan random --runs 2 --batch more");
  tool("run --no-wait -q --batch more");
  tool.shell(
      "scancel --me; while squeue -h --me | grep -q .; do sleep 0.1; done; sqlite3 study.db \"update "
      "submission set job = '', name = 'renth-nobody'; update run "
      "set message = ''\"; rm -rf runs/00000[56]");
  CHECK(tool("run -q --json").json()["submitted"] == 2);
  CHECK(tool("runs --json --where \"status == 'done'\"").json()["runs"].size() == 6);
}
