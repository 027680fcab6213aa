#include <doctest/doctest.h>

#include <set>
#include <vector>

#include "tool.hpp"

using namespace renth::test;

namespace {

/// Calls the tool and then every `next:` that it prints, as it is printed.
class Follower {
 public:
  explicit Follower(const Tool& tool) : tool_(tool) {}

  /// \returns  the commands that were followed.
  std::vector<std::string> operator()(const std::string& command) {
    CAPTURE(command);
    const Answer answer = typed(command);
    CHECK_MESSAGE(answer.status != 2, answer.err);
    std::vector<std::string> out;
    std::istringstream lines(answer.out);
    for (std::string line; std::getline(lines, line);) {
      CHECK_FALSE_MESSAGE((contains(line, "next: ") && line.rfind("next: ", 0) != 0), line);
      if (line.rfind("next: ", 0) == 0) out.push_back(line.substr(6));
    }
    CHECK_MESSAGE(out.size() == 1, answer.out);
    for (const std::string& next : out) {
      CAPTURE(next);
      const Answer followed = typed(next);
      CHECK_MESSAGE((followed.status == 0 || followed.status == 1 || followed.status == 3), followed.err);
    }
    return out;
  }

 private:
  Answer typed(const std::string& line) const {
    return tool_.shell("renth() { " RENTH_BINARY " \"$@\"; }\n" + line);
  }
  const Tool& tool_;
};

const std::string unsolved_study = [] {
  const std::string text = formula_study;
  return text.substr(0, text.find("[solver]")) + "[solver]\nkind = \"manual\"\n";
}();

}  // namespace

TEST_CASE("every next step works as it is printed, for a study elsewhere") {
  const Tool tool;
  Follower follow(tool);
  tool.shell("mkdir 'my study'");
  tool.write("my study/study.toml", formula_study);
  tool.write("settings.csv",
             "a,b,c\n0,-1,red\n0,1,red\n4,-1,red\n4,1,red\n2,0,red\n0,-1,green\n0,1,green\n"
             "4,-1,green\n4,1,green\n2,0,green\n1,0,red\n3,0.5,green\n");
  const std::string renth = "renth -s 'my study' ";
  follow(renth + "plan --runs 30");
  CHECK(follow(renth + "run") == std::vector<std::string>{"renth -s 'my study' fit"});
  for (const char* verb : {"set-aside 3 --why odd", "restore 3", "fit", "trust", "seek", "refine --budget 4",
                           "export model -o m.json", "export c -o m.c"})
    follow(renth + verb);
  const auto sweep = follow(renth +
                            "plan optimal --runs 8..11 --criterion I --model \"linear - b\" --seed 9 "
                            "--candidates settings.csv --batch 'made up'");
  REQUIRE(sweep.size() == 1);
  const auto batch = tool("-s 'my study' runs --json --where \"batch == 'made up'\"").json()["runs"];
  CHECK(batch.size() >= 8);
  for (const auto& run : batch)
    CHECK(contains(tool.read("settings.csv"), run["point"]["c"].get<std::string>()));
}

TEST_CASE("the sweep's next step is the plan that the sweep showed") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  const auto sweep = tool("plan optimal --runs 10..12 --model quadratic --json").json();
  Follower follow(tool);
  follow("renth plan optimal --runs=10..12 --model quadratic");
  const double shown = [&] {
    for (const auto& line : sweep["sweep"])
      if (line["runs"] == sweep["suggested"]) return line["log_det"].get<double>();
    return 0.0;
  }();
  const auto stored = tool("assess --batch fit-1 --model quadratic --json").json();
  CHECK(stored["runs"] == sweep["suggested"]);
  CHECK(stored["log_det"].get<double>() == doctest::Approx(shown).epsilon(1e-9));
}

TEST_CASE("every next step works for a study without a solver, and for one whose runs fail") {
  const Tool tool;
  Follower follow(tool);
  tool.write("study.toml", unsolved_study);
  follow("renth plan --runs 24");
  // As if measured: the table that the plan's next step wrote, filled in.
  const auto measure = [&] {
    return tool.shell(
        "awk -F, 'NR==1 {for (i=1;i<=NF;i++) at[$i]=i; print; next} {OFS=\",\"; a=$at[\"a\"]; b=$at[\"b\"]; "
        "$at[\"y\"]=10-(a-3)^2-4*(b-0.3)^2; $at[\"z\"]=a+2*b; print}' runs.csv > measured.csv");
  };
  REQUIRE(measure().status == 0);
  CHECK(follow("renth import measured.csv") == std::vector<std::string>{"renth fit"});
  for (const char* verb :
       {"renth seek", "renth confirm", "renth trust", "renth refine --budget 3 --until 0.9999999"})
    follow(verb);

  const Tool failing;
  Follower follow_there(failing);
  std::string study = formula_study;
  study = study.substr(0, study.find("[solver]")) +
          "[solver]\nkind = \"process\"\ncommand = [\"/bin/sh\", \"-c\", \"exit 1\"]\noutput = \"json\"\n";
  failing.write("study.toml", study);
  CHECK(follow_there("renth run --dry-run") == std::vector<std::string>{"renth plan"});
  follow_there("renth runs --failures");
  failing("plan --runs 6");
  follow_there("renth run");
  follow_there("renth runs --failures");
}

TEST_CASE("a new study says what comes next") {
  const Tool tool;
  tool.write("t.csv", "a,b,y\n1,2,3\n2,1,4\n3,5,1\n4,2,2\n5,1,3\n");
  Follower follow(tool);
  follow("renth init 'a new one'");
  follow("renth init buoy --demo buoy");
  follow("renth init table --from t.csv --responses y");
}
