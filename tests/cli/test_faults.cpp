// One test for each row of the table of faults in docs/running.md that is not about Slurm or Ctrl-C.
#include <doctest/doctest.h>

#include <cli/solver_study.hpp>
#include <support_store.hpp>

using namespace renth::test;

namespace {

/// A curve over three periods, one call each; `body` as in make_study, with the period in the input.
void make_curve_study(const Tool& tool, const std::string& body, const std::string& more = "") {
  tool.write("solve.sh",
             "p=$(cat \"$1\")\nprintf 'start %s-%s\\n' \"$3\" $p >> '" + tool.folder.string() + "/log'\n" +
                 body + "\necho \"power = $p\nmass = 7\" > \"$2\"\nprintf 'end %s-%s\\n' \"$3\" $p >> '" +
                 tool.folder.string() + "/log'\n");
  tool.write("period.template", "{{period}}");
  tool.write(
      "study.toml",
      "[study]\nname = \"s\"\n[[parameter]]\nname = \"x\"\nspan = [0, 1]\n[[axis]]\nname = "
      "\"period\"\npoints = [5, 6, 8]\n[[response]]\nname = "
      "\"power\"\nalong = \"period\"\n[[response]]\nname = \"mass\"\n[solver]\nkind = \"process\"\ncommand = "
      "[\"sh\", \"{study}/solve.sh\", "
      "\"{input}\", \"{output}\", \"{run}\"]\ninput = \"period.template\"\nper = \"period\"\njobs = 2\n" +
          more +
          "[solver.output]\npower = { pattern = \"power = ([0-9.]+)\" }\nmass = { pattern = \"mass = "
          "([0-9.]+)\" }\n");
}

}  // namespace

TEST_CASE("rubbish of every kind fails the run with its own message, and the others go on") {
  const Tool tool;
  make_study(tool,
             "case $3 in\n1) echo '{\"y\": NaN}' > \"$2\";;\n2) printf '{\"y\": 12' > \"$2\";;\n3) : > "
             "\"$2\";;\n4) ;;\n5) truncate -s 2G "
             "\"$2\";;\n6) echo '{\"y\": [1, 2]}' > \"$2\";;\n7) echo bad >&2; kill -SEGV $$;;\n8) sleep 60 "
             "& exec 9>&-; trap '' TERM; sleep "
             "60;;\n*) " +
                 answer + ";;\nesac",
             "timeout = \"4 s\"\n");
  tool("plan random --runs 9");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 3);
  CHECK(a.json()["done"] == 1);
  const char* says[] = {"not JSON",
                        "cut short",
                        "is empty",
                        "wrote no output",
                        "has 2048 MB, more than 64",
                        "2 values and should have 1",
                        "killed by signal 11 (Segmentation fault): bad",
                        "its time was up"};
  for (int run = 1; run <= 8; ++run)
    CHECK_MESSAGE(message(tool, run).find(says[run - 1]) != std::string::npos, message(tool, run));
  CHECK(tool("runs --failures").out.find("8 of 9 runs failed") == 0);
  CHECK(tool("runs --failures --json").json()["reasons"].size() == 7);
}

TEST_CASE(
    "a solver that fills the disk fails with that reason, its outcome is kept, and the rest goes on when "
    "there is room") {
  const Tool tool;
  std::filesystem::create_directories(tool.folder / "small");
  // A disk of its own, seen only by what runs below.
  const std::string begin =
      "mount -t tmpfs -o size=3m none small && cp study.toml small/ && cd small && R=" RENTH_BINARY "\n";
  make_study(tool, "[ $3 = 2 ] && { head -c 100000000 /dev/zero > big; exit 1; }\n" + answer, "jobs = 1\n");
  std::string toml = tool.read("study.toml");
  toml.replace(toml.find("jobs = 2\n"), 9, "");
  tool.write("study.toml", toml);
  const Answer a = tool.shell("unshare -m sh -c '" + begin +
                              "$R plan random --runs 4 > /dev/null; $R run -q > ../first; echo $? >> "
                              "../first; rm -f runs/000002/big; $R run -q > ../second; echo "
                              "$? >> ../second; $R runs --json > ../runs.json; sqlite3 study.db \"pragma "
                              "integrity_check\" > ../sane'");
  REQUIRE_MESSAGE(a.status == 0, a.err);
  const auto runs = nlohmann::json::parse(tool.read("runs.json"))["runs"];
  CHECK(runs[1]["status"] == "failed");
  CHECK(runs[1]["message"].get<std::string>().find("exit status 1") == 0);
  CHECK(runs[1]["message"].get<std::string>().find("the disk was full") != std::string::npos);
  for (const int i : {0, 2, 3}) CHECK(runs[i]["status"] == "done");
  CHECK(tool.read("sane") == "ok\n");
  for (const auto& [run, times] : starts(tool, "start")) CHECK_MESSAGE(times == 1, run);
}

TEST_CASE("memory and file sizes are limited, and the message says so") {
  const Tool tool;
  make_study(
      tool,
      "[ $3 = 1 ] && { awk 'BEGIN { s = \"x\"; while (length(s) < 4e8) s = s s }' || exit 5; }\n" + answer,
      "memory = \"100 MB\"\n");
  tool("plan random --runs 2");
  CHECK(tool("run -q").status == 3);
  CHECK(message(tool, 1).find("memory is limited to 100 MB") != std::string::npos);
  CHECK(runs_of(tool, "status == 'done'").size() == 1);
}

TEST_CASE("when the keeper is killed its runs are put back and made again") {
  const Tool tool;
  make_study(tool, "[ -e '" + tool.folder.string() + "/quick' ] || sleep 60\n" + answer);
  tool("plan random --runs 3");
  const pid_t pid = tool.start("run -q --json");
  REQUIRE(wait_until([&] { return starts(tool, "start").size() == 2; }));
  tool.write("quick", "");
  tool.shell("pkill -KILL -P " + std::to_string(pid) + " renth-keeper");
  CHECK(Tool::end(pid) == 0);
  CHECK(has_note(nlohmann::json::parse(tool.read(".bg.out")), "keeper_lost"));
  CHECK(runs_of(tool, "status == 'done'").size() == 3);
}

TEST_CASE("when both are killed, what the solvers left behind is ended before their folders are used anew") {
  const Tool tool;
  make_study(tool,
             "[ -e '" + tool.folder.string() + "/quick' ] || { setsid sleep 61 & sleep 60; }\n" + answer);
  tool("plan random --runs 2");
  const pid_t pid = tool.start("run -q");
  REQUIRE(wait_until([&] { return tool.shell("pgrep -c -f '^sleep 61$'").out == "2\n"; }));
  // Both at once, or renth would see to it itself.
  tool.shell("kill -KILL " + std::to_string(pid) + " $(pgrep -P " + std::to_string(pid) + " renth-keeper)");
  Tool::end(pid);
  tool.write("quick", "");
  const Answer again = tool("run -q --json");
  CHECK(again.status == 0);
  CHECK(has_note(again.json(), "orphans"));
  CHECK(tool.shell("pgrep -f '^sleep 61$'").status != 0);
}

TEST_CASE("after a power cut outcomes of the boot before are not believed, what was committed is kept") {
  const Tool tool;
  make_study(tool, answer);
  tool("plan random --runs 4");
  CHECK(tool("run -q").status == 0);
  // Two of the four as they would be had the power gone before their commit.
  change_store(tool.folder,
               "update run set status = 1 where id in (2, 3); delete from output where run in (2, 3)");
  tool.shell("sed -i 's/[0-9a-f]*-[0-9a-f-]* end/another-boot end/' runs/000002/outcome");
  CHECK(tool("run -q --json").json()["adopted"] == 1);
  const auto began = starts(tool, "start");
  CHECK(began.at("1") == 1);
  CHECK(began.at("2") == 2);  // its files cannot be trusted
  CHECK(began.at("3") == 1);  // whole in its folder, of this boot
  CHECK(runs_of(tool, "status == 'done'").size() == 4);
}

TEST_CASE("a failure that was not yet booked when renth was killed is retried as told") {
  const Tool tool;
  make_study(tool, answer, "retries = 1\n");
  tool("plan random --runs 1");
  CHECK(tool("run -q").status == 0);
  change_store(tool.folder, "update run set status = 1; delete from output");
  tool.shell("sed -i 's/^exited 0/exited 9/' runs/000001/outcome");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 0);
  CHECK(a.json()["adopted"] == 1);
  CHECK(a.json()["done"] == 1);
  CHECK(starts(tool).at("1") == 2);
}

TEST_CASE("runs that another machine computes are left alone until it is said to be lost") {
  const Tool tool;
  make_study(tool, answer);
  tool("plan random --runs 2");
  change_store(tool.folder, "update run set status = 1, host = 'far-away' where id = 1");
  const Answer a = tool("run -q --json");
  CHECK(has_note(a.json(), "elsewhere"));
  CHECK(a.json()["left"] == 1);
  CHECK(starts(tool).count("1") == 0);
  CHECK(tool("run -q --put-back").status == 0);
  CHECK(starts(tool).at("1") == 1);
}

TEST_CASE("a retry waits for its pause, and the journal has every call") {
  const Tool tool;
  make_study(tool,
             "[ -e '" + tool.folder.string() + "/second' ] || { touch '" + tool.folder.string() +
                 "/second'; echo licence >&2; exit 4; }\n" + answer,
             "retries = 2\nretry_pause = \"600 ms\"\n[solver.env]\nOMP_NUM_THREADS = 3\n");
  tool("plan random --runs 1");
  CHECK(tool("run -q").status == 0);
  const auto journal = tool("runs --journal --only 1 --json").json()["journal"];
  REQUIRE(journal.size() == 2);
  CHECK(journal[0]["outcome"] == "exit status 4: licence");
  CHECK(journal[1]["outcome"] == "done");
  CHECK(journal[1]["attempt"] == 2);
  CHECK(journal[1]["started"].get<double>() - journal[0]["started"].get<double>() >= 0.6);
  CHECK(journal[0]["command"][1] == (tool.folder / "solve.sh").string());
  const std::string hash = tool.shell("sha256sum < runs/000001/input.json").out.substr(0, 64);
  CHECK(journal[1]["inputs_sha256"]["input.json"] == hash);
  CHECK(tool("runs --journal").out.find("licence") != std::string::npos);
  CHECK(tool("runs --journal --only 99").status == 2);
}

TEST_CASE("identical settings are computed once, also side by side; a noisy solver is asked each time") {
  const Tool tool;
  make_study(tool, "sleep 0.2\n" + answer);
  tool("plan full-factorial --levels 2 --replicates 3");
  const Answer a = tool("run -q --json --jobs 6");
  CHECK(a.json()["copied"] == 4);
  CHECK(starts(tool, "start").size() == 2);
  make_study(tool, "exit 6");
  tool("plan random --runs 1 --batch again");
  tool("set-aside 1 --why 'sensor broke'");
  const std::string at = std::to_string(runs_of(tool)[0]["point"]["x"].get<double>());
  tool.write("repeat.csv", "x\n" + at + "\n" + at + "\n");
  tool("import repeat.csv --batch repeats");
  // The run set aside does not serve; the first of the two repeats fails, and with it the second.
  CHECK(tool("run -q --batch repeats --json").json()["failed"].get<int>() +
            runs_of(tool, "batch == 'repeats' && status == 'done'").size() ==
        2);
  // A run that lacks a response which was added later cannot serve for it.
  make_study(tool, "echo '{\"y\": 1, \"z\": 2}' > \"$2\"");
  tool.write("study.toml", tool.read("study.toml") + "\n[[response]]\nname = \"z\"\n");
  tool("plan full-factorial --levels 2 --batch with-z");
  CHECK(tool("run -q --batch with-z --json").json()["copied"] == 0);
  make_study(tool, answer, "repeatable = false\n");
  tool("plan full-factorial --levels 2 --replicates 2 --batch noisy");
  CHECK(tool("run -q --json --batch noisy").json()["copied"] == 0);
}

TEST_CASE(
    "with one call an axis point, a run keeps the points that succeed, and only the others are retried") {
  const Tool tool;
  make_curve_study(tool, "[ \"$3-$p\" = 2-6 ] && [ ! -e '" + tool.folder.string() +
                             "/healed' ] && { echo 'no convergence' >&2; exit 3; }");
  tool("plan random --runs 3");
  const Answer a = tool("run -q --json");
  CHECK(a.status == 3);
  CHECK(a.json()["partial"] == 1);
  const auto run = runs_of(tool, "id == 2")[0];
  CHECK(run["status"] == "done");
  CHECK(run["responses"]["power"] == nlohmann::json{5, nullptr, 8});
  CHECK(run["responses"]["mass"] == 7);
  CHECK(run["message"] == "period 6: exit status 3: no convergence");
  CHECK(tool("check --json").out.find("missing_axis_point") != std::string::npos);
  tool.write("healed", "");
  CHECK(tool("run -q --retry-failed").status == 0);
  CHECK(runs_of(tool, "id == 2")[0]["responses"]["power"] == nlohmann::json{5, 6, 8});
  const auto began = starts(tool, "start");
  CHECK(began.at("2-6") == 2);
  CHECK(began.at("2-5") == 1);
  CHECK(began.at("1-6") == 1);
}

TEST_CASE("an axis point that was added in between is the only one computed for old runs") {
  const Tool tool;
  make_curve_study(tool, "");
  tool("plan random --runs 2");
  CHECK(tool("run -q").status == 0);
  std::string toml = tool.read("study.toml");
  toml.replace(toml.find("[5, 6, 8]"), 9, "[5, 5.5, 6, 8]");
  tool.write("study.toml", toml);
  CHECK(tool("run -q --retry-failed").status == 0);
  CHECK(runs_of(tool, "id == 2")[0]["responses"]["power"] == nlohmann::json{5, 5.5, 6, 8});
  CHECK(starts(tool, "start").size() == 8);
  for (const auto& [call, times] : starts(tool, "start")) CHECK_MESSAGE(times == 1, call);
}

TEST_CASE("killed in the middle of a run of several calls, the points that were done are not made again") {
  const Tool tool;
  make_curve_study(tool, "sleep 0.1");
  tool("plan random --runs 8");
  for (int i = 0; i < 6; ++i) {
    const pid_t pid = tool.start("run -q");
    nap(120 + 37 * i);
    kill(pid, SIGKILL);
    Tool::end(pid);
  }
  CHECK(tool("run -q").status == 0);
  for (const auto& run : runs_of(tool)) CHECK(run["responses"]["power"] == nlohmann::json{5, 6, 8});
  const auto ended = starts(tool);
  CHECK(ended.size() == 24);
  for (const auto& [call, times] : ended) CHECK_MESSAGE(times == 1, call);
}

TEST_CASE("a dry run shows inputs and commands, runs nothing and changes nothing") {
  const Tool tool;
  make_curve_study(tool, "");
  tool("plan random --runs 2");
  const auto dry = tool("run --dry-run --json").json();
  REQUIRE(dry["runs"].size() == 6);
  CHECK(dry["runs"][4]["id"] == 2);
  CHECK(dry["runs"][4]["at"] == 6);
  CHECK(dry["runs"][4]["inputs"][0]["text"] == "6");
  CHECK(dry["runs"][4]["command"][2] == (tool.folder / "runs/000002/point-02/period").string());
  CHECK(tool("run --dry-run --only 2 --json").json()["runs"].size() == 3);
  CHECK(tool("run --dry-run").out.find("6 calls would be made") == 0);
  CHECK_FALSE(std::filesystem::exists(tool.folder / "runs"));
  CHECK(tool.read("log").empty());
  CHECK(tool("run --only 77 -q").status == 2);
  tool.write("period.template", "{{perid}}");
  const Answer wrong = tool("run -q");
  CHECK(wrong.status == 2);
  CHECK(wrong.err.find("unknown parameter perid: period.template:1") != std::string::npos);
  CHECK(tool("check").status == 2);
  CHECK(runs_of(tool, "status == 'planned'").size() == 2);
}

TEST_CASE("a saved sample tells whether [solver] output finds everything") {
  const Tool tool;
  make_curve_study(tool, "");
  tool.write("sample.txt", "power = 3.5\nmass = 1\n");
  const Answer good = tool("check --output sample.txt --json");
  CHECK(good.status == 0);
  CHECK(good.json()["responses"][0]["value"] == 3.5);
  tool.write("sample.txt", "power = three\nmass = 1\n");
  const Answer bad = tool("check --output sample.txt");
  CHECK(bad.status == 2);
  CHECK(bad.out.find("power: the pattern of power does not match (sample.txt)") != std::string::npos);
  CHECK(tool("check --output nowhere.txt").status == 2);
  tool("plan random --runs 1");
  tool("run -q");
  CHECK(tool("check --output runs/000001/point-01").status == 0);
}
