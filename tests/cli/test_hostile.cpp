// What bad luck and ill will do to a study: nothing is lost, nothing hangs, and every end has its sentence.
#include <doctest/doctest.h>
#include <unistd.h>

#include <cli/solver_study.hpp>
#include <support_store.hpp>

using namespace renth::test;
namespace fs = std::filesystem;

namespace {

/// Two parameters and one response of a formula; `more` goes before [solver].
void formula(const Tool& tool, const std::string& y, const std::string& more = "") {
  tool.write(
      "study.toml",
      "[study]\nname = \"s\"\nseed = 3\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n[[parameter]]\nname = "
      "\"b\"\nspan = [0, 1]\n[[response]]\nname = \"y\"\ngoal = \"maximise\"\n" +
          more + "[solver]\nkind = \"formula\"\n[solver.formula]\ny = \"" + y + "\"\n");
}

void replace(const Tool& tool, const std::string& file, const std::string& from, const std::string& to) {
  std::string text = tool.read(file);
  const std::size_t at = text.find(from);
  REQUIRE(at != std::string::npos);
  tool.write(file, text.replace(at, from.size(), to));
}

/// Makes a command that is run by nobody in particular, who may not write where others may: root may
/// anywhere.
std::string as_nobody(const std::string& command) {
  return geteuid() == 0 ? "setpriv --reuid 65534 --regid 65534 --clear-groups " + command : command;
}

}  // namespace

TEST_CASE("a solver that leaves rubbish where its words should be holds nothing up") {
  const Tool tool;
  make_study(tool,
             "case $3 in\n1) rm -f stderr; mkfifo stderr; exit 3;;\n2) rm -f stdout; mkfifo stdout; rm "
             "stderr; mkfifo "
             "stderr; exit 4;;\n3) mkfifo \"$2\";;\n4) ln -s /dev/zero \"$2\";;\n5) mkdir \"$2\";;\n6) head "
             "-c 200000 "
             "/dev/zero | tr '\\0' '[' > \"$2\";;\n7) printf '\\033[31mH\\366he\\n' >&2; exit 5;;\n*) " +
                 answer + ";;\nesac");
  tool("plan random --runs 8");
  const Answer ran = tool("run -q --json");
  CHECK(ran.status == 3);
  CHECK(ran.json()["failed"] == 7);
  CHECK(message(tool, 1) == "exit status 3");
  CHECK(message(tool, 2) == "exit status 4");
  for (const int run : {3, 4, 5}) CHECK(contains(message(tool, run), "not a plain file"));
  CHECK(contains(message(tool, 6), "nested more than 200 deep"));
  CHECK(message(tool, 7) == "exit status 5: ␛[31mH\xef\xbf\xbdhe");
  CHECK(tool("run -q --retry-failed --json").json()["failed"] == 7);
  CHECK(contains(tool("runs").out, "␛[31m"));
}

TEST_CASE("what a terminal would obey is shown in tables and messages, and escaped in JSON") {
  const Tool tool;
  formula(tool, "a + b");
  replace(tool, "study.toml", "name = \"y\"\n", "name = \"y\"\nunit = \"\\u001b]0;gone\\u0007\"\n");
  CHECK(tool("plan random --runs 12").status == 0);
  CHECK(tool("run -q").status == 0);
  const Answer fit = tool("fit polynomial");
  CHECK(fit.status == 0);
  CHECK(contains(tool("predict").out, "␛]0;gone␇"));
  CHECK_FALSE(contains(tool("predict").out, "\x1b"));
  CHECK_FALSE(contains(tool("check --json").out, "\x1b"));
  const Answer unknown = tool("predict --at $'\\033[31mred=1'");
  CHECK(unknown.status == 2);
  CHECK_FALSE(contains(unknown.err, "\x1b"));
  // Bytes that are no UTF-8, on the command line: every document can be read still.
  CHECK(tool("set-aside 3 --why $'bad \\xff luck'").status == 0);
  CHECK(tool("predict --json --at $'\\xff=1'").json()["error"]["status"] == 2);
  CHECK(tool("runs --json").json()["runs"].size() == 12);
  CHECK(tool("log --json").json()["commands"].size() >= 4);
}

TEST_CASE("a unit cannot leave the comment of exported C") {
  const Tool tool;
  formula(tool, "2 * a + b");
  replace(tool, "study.toml", "span = [0, 1]\n", "span = [0, 1]\nunit = \"*/ int evil; /*\\n*/\"\n");
  tool("plan random --runs 12");
  tool("run -q");
  tool("fit polynomial --model linear");
  CHECK(tool("export c -o y.c").status <= 1);
  const std::string c = tool.read("y.c");
  CHECK(c.substr(c.find("*/"), 7) == "*/\n\nint");
  tool.write("e.c", c + "int main(void) { const double x[] = {0.5, 0.25}; return fabs(y_mean(x) - 1.25) < "
                        "1e-12 ? 0 : 1; }\n");
  CHECK(tool.shell("gcc -std=c99 -Wall -Werror e.c -o e -lm && ./e").status == 0);
}

TEST_CASE("an emptied store is no new study: runs that are there are taken in again, as they were") {
  const Tool tool;
  make_study(tool, "case $3 in 2) exit 7;; esac\n" + answer);
  tool("plan random --runs 4");
  tool("plan random --runs 2 --use check");
  CHECK(tool("run -q").status == 3);
  const nlohmann::json before = runs_of(tool);
  const auto lose = [&](bool emptied) {
    tool.shell("rm -f study.db*");
    if (emptied) tool.shell(": > study.db");
  };
  for (const bool emptied : {false, true}) {
    lose(emptied);
    for (const char* verb : {"runs", "plan random --runs 3", "run -q", "fit"}) {
      const Answer refused = tool(verb);
      CHECK(refused.status == 4);
      CHECK(contains(refused.err, "the store is empty, and there are folders of 6 finished runs"));
      CHECK(contains(refused.err, "renth import runs"));
    }
    CHECK(tool("import solve.sh").status == 4);  // a table is no reason to forget them either
    CHECK(fs::exists(tool.folder / "runs/000001/outcome"));
    const Answer taken = tool("import runs --json");
    CHECK(taken.status == 0);
    CHECK(taken.json()["done"] == 5);
    CHECK(taken.json()["failed"] == 1);
    const nlohmann::json after = runs_of(tool);
    REQUIRE(after.size() == before.size());
    for (std::size_t i = 0; i < after.size(); ++i)
      for (const char* key :
           {"id", "batch", "use", "origin", "block", "status", "point", "responses", "message"})
        CHECK(after[i][key] == before[i][key]);
    CHECK(tool("run -q --json").json()["done"] == 0);  // nothing is computed again
    CHECK(tool("plan random --runs 1 --json").json()["runs"][0]["id"] == 7);
    CHECK(tool("import runs --json").json()["known"] == 6);
  }
  // What had not ended is planned, and what cannot be read is told.
  lose(false);
  tool.shell(
      "rm runs/000003/outcome; echo '{' > runs/000004/renth-run.json; rm runs/000004/input.json; mkdir "
      "runs/xyz runs/000000009999999999999");
  const Answer rest = tool("import runs --json");
  CHECK(rest.json()["planned"] == 1);
  CHECK(has_note(rest.json(), "not_taken_in"));
  CHECK(contains(rest.out, "run 4"));
  CHECK(tool("run -q --json").json()["done"] == 1);
  CHECK(tool("import demo").status != 0);
  CHECK(contains(tool("import /tmp").err, "not that of the study's runs"));
}

TEST_CASE("runs that were computed by something else than today are told apart, and not mixed unless asked") {
  const Tool tool;
  formula(tool, "a + b");
  tool("plan random --runs 10");
  CHECK(tool("run -q").status == 0);
  CHECK_FALSE(has_note(tool("check --json").json(), "other_maker"));
  replace(tool, "study.toml", "a + b", "a  +  b");  // blanks mean nothing
  CHECK_FALSE(has_note(tool("check --json").json(), "other_maker"));
  replace(tool, "study.toml", "a  +  b", "a - b");
  const Answer check = tool("check");
  CHECK(contains(check.out, "y was computed by another formula than today's in runs 1–10"));
  CHECK(has_note(tool("fit polynomial --json").json(), "other_maker"));
  // The same settings are not the same run any more.
  tool("plan random --runs 4");
  const std::string point = "a=" + runs_of(tool, "id == 1")[0]["point"]["a"].dump() +
                            ",b=" + runs_of(tool, "id == 1")[0]["point"]["b"].dump();
  CHECK(tool("run -q --json").json()["copied"] == 0);
  const Answer mixed = tool("fit polynomial");
  CHECK(mixed.status == 2);
  CHECK(contains(mixed.err, "runs 1–10 by another formula, runs 11–14 by today's"));
  CHECK(contains(mixed.err, "--mixed"));
  CHECK(has_note(tool("fit polynomial --mixed --json").json(), "mixed_makers"));
  const Answer renewed = tool("run -q --renew --json");
  CHECK(renewed.json()["done"] == 10);
  CHECK(runs_of(tool, "id <= 10").size() == 10);  // nothing is lost
  const Answer fit = tool("fit polynomial --json");
  CHECK(fit.status == 0);
  CHECK(fit.json()["models"][0]["runs"] == 14);
  CHECK_FALSE(has_note(tool("check --json").json(), "other_maker"));
  CHECK(tool("run -q --renew --json").json()["done"] == 0);
}

TEST_CASE("another command, template or output source is told by its name") {
  const Tool tool;
  make_study(tool, "x=$(cat $1)\necho \"y=$x z=$x\" > $2", "input = \"in.template\"\n");
  tool.write("in.template", "{{x}}\n");
  replace(tool, "study.toml", "output = \"json\"", "output = { y = { pattern = \"y=([0-9.]+)\" } }");
  tool("plan random --runs 3");
  CHECK(tool("run -q").status == 0);
  const auto differs = [&](const std::string& by) {
    CHECK(contains(tool("check").out, "y was computed by another " + by + " than today's in runs 1–3"));
  };
  tool.write("in.template", "{{x:%.3f}}\n");
  differs("template");
  tool.write("in.template", "{{x}}\n");
  CHECK_FALSE(contains(tool("check").out, "computed by another"));
  replace(tool, "study.toml", "y=([0-9.]+)", "z=([0-9.]+)");
  differs("output source");
  replace(tool, "study.toml", "[\"sh\",", "[\"sh\", \"-e\",");
  differs("command, output source");
}

TEST_CASE("a study on a disk that may only be read can be looked at, and nothing is pretended") {
  const Tool tool;
  formula(tool, "a + b");
  tool("plan random --runs 12");
  tool("run -q");
  tool("fit polynomial");
  // What is not moved from the log of writes into the file yet is seen too.
  tool.shell("chmod -R a+rX . ; chmod a-w study.db .");
  for (const char* verb :
       {"check", "runs", "trust", "predict --at a=0.5", "rank", "log", "equation", "seek --proposals 1"}) {
    CAPTURE(verb);
    const Answer a = tool.shell(as_nobody(std::string(RENTH_BINARY) + " " + verb));
    CHECK(a.status == 0);
    CHECK(a.err.empty());
    CHECK_FALSE(a.out.empty());
  }
  for (const char* verb : {"plan random --runs 2", "fit", "run", "set-aside 1 --why x"}) {
    CAPTURE(verb);
    const Answer a = tool.shell(as_nobody(std::string(RENTH_BINARY) + " " + verb));
    CHECK(a.status == 4);
    CHECK(contains(a.err, "may only be read"));
  }
  tool.shell("chmod u+w . study.db");
  CHECK(tool("runs --json").json()["runs"].size() == 12);
}

TEST_CASE("limits that nothing holds are refused at check, tight ones are not") {
  const Tool tool;
  formula(tool, "a + b", "[[limit]]\nkeep = \"a + b >= 2.5\"\n");
  const Answer one = tool("check");
  CHECK(one.status == 2);
  CHECK(contains(one.err,
                 "no setting within the spans holds the limit \"a + b >= 2.5\": the nearest found, a=1, b=1, "
                 "misses by 0.5"));
  formula(tool, "a + b", "[[limit]]\nkeep = \"a + b >= 1.5\"\n[[limit]]\nkeep = \"b <= 0.5 - a\"\n");
  CHECK(contains(tool("check").err, "together"));
  for (const char* tight : {"a + b == 1.2345", "abs(a - 0.777777) + abs(b - 0.333333) <= 1e-7", "a >= 1"}) {
    CAPTURE(tight);
    formula(tool, "a + b", std::string("[[limit]]\nkeep = \"") + tight + "\"\n");
    CHECK(tool("check").status == 0);
  }
}

TEST_CASE("choices called None, NA and - and texts that a spreadsheet would run survive export and import") {
  const Tool tool;
  tool.write("study.toml",
             "[study]\nname = \"s\"\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n[[parameter]]\nname = "
             "\"c\"\nchoices = "
             "[\"None\", \"NA\", \"-\", \"=1+1\", \"+x\", \"@y\", \"?\"]\n[[response]]\nname = "
             "\"y\"\n[solver]\nkind = "
             "\"manual\"\n");
  tool("plan full-factorial --levels 2");
  const nlohmann::json before = runs_of(tool);
  REQUIRE(before.size() == 14);
  CHECK(tool("set-aside 1 --why '=cmd()'").status == 0);
  CHECK(tool("runs --export runs.csv").status == 0);
  for (const char* cell : {",=", ",+", ",@", ",-,"}) CHECK_FALSE(contains(tool.read("runs.csv"), cell));
  tool.shell("rm study.db*; sed -i 's/planned/done/' runs.csv");
  CHECK(tool("import runs.csv").status == 0);
  const nlohmann::json after = runs_of(tool);
  REQUIRE(after.size() == before.size());
  for (std::size_t i = 0; i < after.size(); ++i) CHECK(after[i]["point"] == before[i]["point"]);
}

TEST_CASE("figures of what is flat, single, wide or forbidden are drawn, or say why not") {
  const Tool tool;
  const auto draws = [&](const std::string& figure) {
    CAPTURE(figure);
    const Answer a = tool("draw " + figure + " -o f.svg");
    CHECK(a.status <= 1);
    CHECK(fs::exists(tool.folder / "f.svg"));
    tool.shell("rm -f f.svg");
  };
  const auto refuses = [&](const std::string& figure, const std::string& why) {
    CAPTURE(figure);
    const Answer a = tool("draw " + figure + " -o f.svg");
    CHECK(a.status == 2);
    CHECK(contains(a.err, why));
  };
  const auto made = [&](int runs) {
    tool.shell("rm -f study.db*");
    tool("plan random --runs " + std::to_string(runs));
    tool("run -q");
    CHECK(tool("fit polynomial").status <= 1);
  };
  formula(tool, "4 + 0 * a");
  made(20);
  for (const char* figure : {"slices", "main-effects", "interaction", "predicted-observed"}) draws(figure);
  refuses("contour", "flat");
  // Thirty-six terms and more; none.
  std::string wide = "[study]\nname = \"s\"\n", sum = "0";
  for (int j = 0; j < 37; ++j) {
    wide += "[[parameter]]\nname = \"p" + std::to_string(j) + "\"\nspan = [0, 1]\n";
    sum += " + p" + std::to_string(j);
  }
  tool.write("study.toml",
             wide + "[[response]]\nname = \"y\"\n[solver]\nkind = \"formula\"\n[solver.formula]\ny = \"" +
                 sum + "\"\n");
  made(60);
  draws("correlation");
  tool.write(
      "study.toml",
      "[study]\nname = \"s\"\n[[parameter]]\nname = \"c\"\nchoices = [\"u\", \"v\"]\n[[response]]\nname = "
      "\"y\"\n[solver]\nkind = \"formula\"\n[solver.formula]\ny = \"c == 'u' ? 1 : 2\"\n");
  made(4);
  for (const char* figure : {"slices", "correlation", "main-effects"}) draws(figure);
  formula(tool, "a + b", "accept = { min = 0.2 }\n[[limit]]\nkeep = \"a + b <= 0.4\"\n");
  made(20);
  refuses("slices --at a=1,b=1", "holds the limits");
  draws("slices --at a=0.1,b=0.1");
  formula(
      tool, "a + b",
      "accept = { min = 0.2 }\n[[parameter]]\nname = \"c\"\nspan = [0, 1]\n[[limit]]\nkeep = \"c <= 0.5\"\n");
  made(25);
  for (const char* figure : {"contour", "overlap", "surface", "error-map", "variance"})
    refuses(std::string(figure) + " --x a --y b --at c=0.9", "forbid the whole picture");
  tool.shell(
      "printf '#!/bin/sh\\necho \"line 7: no such terminal\" >&2\\nexit 1\\n' > gnuplot; chmod +x gnuplot");
  const Answer broken = tool.shell("PATH=$PWD:$PATH " RENTH_BINARY " draw slices -o f.svg");
  CHECK(broken.status == 4);
  CHECK(contains(broken.err, "no such terminal"));
}

TEST_CASE("seek keeps away from where the solver fails, says the risk, and confirm does not fail twice") {
  const Tool tool;
  formula(tool, "a > 0.75 && b > 0.75 ? sqrt(-1 - a) : 10 * a + 8 * b",
          "[[parameter]]\nname = \"idle\"\nspan = [0, 1]\nnominal = 0.3\n");
  tool("plan latin-hypercube --runs 60");
  CHECK(tool("run -q").status == 3);
  tool("fit polynomial --model linear");
  const nlohmann::json safe = tool("seek --json").json();
  CHECK(safe["feasible"] == true);
  for (const nlohmann::json& p : safe["proposals"]) {
    CHECK_FALSE((p["point"]["a"] > 0.75 && p["point"]["b"] > 0.75));
    CHECK(p["failure_risk"] <= 0.2500001);
    CHECK(p["point"]["idle"] == 0.3);
    CHECK(p["free"] == nlohmann::json::array({"idle"}));
  }
  CHECK(has_note(safe, "failure_risk"));
  CHECK(tool("confirm --json").status == 0);
  const Answer bold = tool("seek --allow-failing --json");
  CHECK(bold.json()["proposals"][0]["point"]["a"] == 1);
  CHECK(bold.json()["proposals"][0]["failure_risk"] > 0.5);
  CHECK(has_note(bold.json(), "likely_to_fail"));
  const Answer first = tool("confirm --json");
  CHECK(first.status == 3);
  CHECK(has_note(first.json(), "failed_there"));
  const std::size_t runs = runs_of(tool).size();
  const Answer again = tool("confirm");
  CHECK(again.status == 3);
  CHECK(contains(again.out, "renth run --retry-failed --only"));
  CHECK(runs_of(tool).size() == runs);
  // Where nothing failed there is nothing to learn.
  formula(tool, "10 * a + 8 * b");
  tool.shell("rm study.db*");
  tool("plan latin-hypercube --runs 20");
  tool("run -q");
  tool("fit polynomial");
  CHECK(tool("seek --json").json()["proposals"][0]["failure_risk"].is_null());
}

TEST_CASE("a fit that cannot be kept does not replace the one that is there") {
  const Tool tool;
  formula(tool, "a + b");
  tool("plan random --runs 12");
  tool("run -q");
  CHECK(tool("fit polynomial --model linear").status == 0);
  const std::string before = tool("predict --json --at a=0.25").out;
  change_store(tool.folder,
               "CREATE TRIGGER full BEFORE INSERT ON surrogate BEGIN SELECT RAISE(ABORT, 'no'); END");
  CHECK(tool("fit kriging").status == 4);
  change_store(tool.folder, "DROP TRIGGER full");
  CHECK(tool("predict --json --at a=0.25").out == before);
}

TEST_CASE("numbers on the command line that are none, or none that can be held, are refused") {
  const Tool tool;
  formula(tool, "a + b");
  tool("plan random --runs 12");
  tool("run -q");
  tool("fit polynomial");
  const std::string deep = std::string(60'000, '('), minus = std::string(100'000, '-');
  for (const std::string& arguments :
       {std::string("seek --target y=nan"), std::string("seek --weight y=inf"),
        std::string("--seed 99999999999999999999 fit"), std::string("seek --proposals 4294967297"),
        std::string("plan random --runs 99999999999999999999"),
        std::string("plan full-factorial --levels 4294967298"), std::string("run --jobs 4294967297"),
        std::string("run --only 99999999999999999999"), std::string("predict --at a=1e999"),
        std::string("predict --at a=nan"), "runs --where '" + deep + "'", "seek --keep '" + deep + "'",
        "fit polynomial --model '" + deep + "'", "fit polynomial --model '" + minus + "a'",
        "fit --weights '" + deep + "'", "plan fractional-factorial --generators '" + deep + "'"}) {
    CAPTURE(arguments.substr(0, 60));
    const Answer a = tool(arguments);
    CHECK(a.status == 2);
    CHECK(a.err.rfind("renth: ", 0) == 0);
  }
}
