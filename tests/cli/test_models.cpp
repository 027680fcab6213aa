#include <doctest/doctest.h>

#include <cli/tool.hpp>

using namespace renth::test;
using nlohmann::json;

namespace {

const char* const study = R"toml([study]
name = "two"
seed = 4
[[parameter]]
name = "a"
unit = "m"
span = [1, 3]
[[parameter]]
name = "hull"
choices = ["steel", "composite"]
[[axis]]
name = "t"
points = [1, 2]
[[response]]
name = "y"
goal = "maximise"
[[response]]
name = "c"
along = "t"
[[response]]
name = "z"
derive = "y + max(c)"
[solver]
kind = "formula"
[solver.formula]
y = "a^2 + (hull == 'steel' ? 1 : 2)"
c = "a * t"
)toml";

/// The first number in it.
double number(const json& value) {
  return value.is_array() ? number(value[0]) : value.get<double>();
}

/// A study that is planned, run and fitted.
void make_fitted(const Tool& tool) {
  tool.write("study.toml", study);
  REQUIRE(tool("plan sobol --runs 24").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit polynomial --model quadratic -q").status == 0);
}

}  // namespace

TEST_CASE("a model exported answers without the study, digit for digit") {
  const Tool tool;
  make_fitted(tool);
  const Answer exported = tool("export model -o m.json --json");
  REQUIRE(exported.status == 0);
  CHECK(exported.json()["responses"][0]["response"] == "y");
  CHECK(exported.json()["responses"][0]["verdict"] == "good");
  const std::string at = "predict --at a=2.5,hull=composite --at a=9 --level 0.8 --json";
  const json with_study = tool(at).json();
  tool.shell("mkdir away && mv m.json away && mv study.toml study.db away/ 2>/dev/null; ls");
  const json alone = tool(at + " --from-model away/m.json").json();
  CHECK(alone["predictions"] == with_study["predictions"]);
  CHECK(alone["level"] == 0.8);
  CHECK(alone["predictions"][0]["responses"]["z"]["mean"].is_number());
  CHECK(alone["predictions"][0]["responses"]["c"]["mean"].size() == 2);
  // What is wrong with the question is said, and the study is not asked.
  const Answer unknown = tool("predict --from-model away/m.json --at b=1");
  CHECK(unknown.status == 2);
  CHECK(contains(unknown.err, "unknown parameter b"));
  // A file that is none, or damaged.
  tool.write("none.json", "{}");
  CHECK(contains(tool("predict --from-model none.json").err, "this is not a model: none.json"));
  CHECK(tool("predict --from-model missing.json").status == 2);
  std::string text = tool.read("away/m.json");
  text[text.size() / 3] ^= 1;
  tool.write("bad.json", text);
  const Answer damaged = tool("predict --from-model bad.json");
  CHECK(damaged.status == 2);
  CHECK(contains(damaged.err, "damaged"));
}

TEST_CASE("an export that cannot be written leaves what was there") {
  const Tool tool;
  make_fitted(tool);
  tool.write("keep.json", "precious");
  CHECK(tool("export model -o missing/folder/m.json").status == 4);
  CHECK(tool("export onnx -o missing/folder/m.onnx").status == 4);
  CHECK(tool("export sheet -o m").status == 2);
  for (const char* form : {"c", "onnx", "fmu"}) {
    const Answer other = tool(std::string("export ") + form + " -o m." + form + " --json");
    CHECK(other.status <= 1);
    CHECK(other.json()["bytes"] == std::filesystem::file_size(tool.folder / (std::string("m.") + form)));
    CHECK(contains(tool("log").out, std::string("export ") + form + " -o m." + form));
  }
  CHECK(tool("export tea -o keep.json").status == 2);
  CHECK(tool("export model --response nobody -o keep.json").status == 2);
  CHECK(tool.read("keep.json") == "precious");
  CHECK(tool("export model -o keep.json").status == 0);
  CHECK(tool.shell("ls").out.find(".part") == std::string::npos);
}

TEST_CASE("many points come as CSV or JSON, the same as one at a time") {
  const Tool tool;
  make_fitted(tool);
  std::string table = "a,hull\n";
  for (int i = 0; i < 3000; ++i)
    table += std::to_string(1 + 2.0 * i / 3000) + (i % 2 ? ",steel\n" : ",composite\n");
  tool.write("points.csv", table);
  const Answer wrote = tool("predict --points points.csv -o out.csv --json");
  REQUIRE(wrote.status == 0);
  CHECK(wrote.json()["points"] == 3000);
  const std::string csv = tool.read("out.csv");
  CHECK(csv.rfind("a,hull,y_mean,y_sd,", 0) == 0);
  CHECK(contains(csv, "c@2_mean"));
  CHECK(std::count(csv.begin(), csv.end(), '\n') == 3001);
  const json many = tool("predict --points points.csv --json").json();
  REQUIRE(many["predictions"].size() == 3000);
  for (const int i : {0, 1024, 2999}) {
    const json& p = many["predictions"][std::size_t(i)];
    const json one = tool("predict --json --at a=" + p["point"]["a"].dump() +
                          ",hull=" + p["point"]["hull"].get<std::string>())
                         .json();
    for (const char* response : {"y", "c", "z"}) {
      const json &of_many = p["responses"][response], &of_one = one["predictions"][0]["responses"][response];
      // Products of one row and of many are summed in another order.
      CHECK(number(of_many["mean"]) == doctest::Approx(number(of_one["mean"])).epsilon(1e-13));
      CHECK(number(of_many["prediction"]) == doctest::Approx(number(of_one["prediction"])).epsilon(1e-13));
      CHECK(of_many["inside"] == of_one["inside"]);
    }
  }
}

TEST_CASE("with --json an error is one document too") {
  const Tool tool;
  make_fitted(tool);
  const Answer unknown = tool("predict --at b=1 --json");
  CHECK(unknown.status == 2);
  const json error = unknown.json()["error"];
  CHECK(error["what"] == "unknown parameter b");
  CHECK(error["where"] == "--at b=1");
  CHECK(error["remedy"] == "use one of a, hull");
  CHECK(error["status"] == 2);
  CHECK(contains(unknown.err, "renth: unknown parameter b: --at b=1: use one of a, hull"));
  // The command line itself.
  CHECK(tool("nonsense --json").json()["error"]["status"] == 2);
  CHECK(tool("predict --json --level 7").json()["error"]["where"] == "command line");
  // The core's fields are said in options.
  const json plan = tool("plan optimal --runs 2 --model quadratic --json").json()["error"];
  CHECK(contains(plan["where"].get<std::string>(), "--runs"));
  CHECK_FALSE(contains(plan.dump(), "`"));
  // All that is wrong with a file.
  tool.write("study.toml", "[study]\nname = 3\ncolour = 1\n");
  const Answer bad = tool("check --json");
  CHECK(bad.status == 2);
  CHECK(bad.json()["errors"].size() >= 2);
  CHECK(bad.json()["error"] == bad.json()["errors"][0]);
  // Without --json nothing is on standard output.
  CHECK(tool("check").out.empty());
}

TEST_CASE("the level that was asked for stands wherever intervals do") {
  const Tool tool;
  make_fitted(tool);
  tool("plan sobol --use check --runs 8");
  tool("run -q");
  for (const char* verb : {"predict", "seek", "rank --response y", "trust --response y", "confirm"}) {
    CAPTURE(verb);
    const Answer text = tool(std::string(verb) + " --level 0.8");
    CHECK(contains(text.out, "80 %"));
    CHECK_FALSE(contains(text.out, "95 %"));
    CHECK(tool(std::string(verb) + " --level 0.8 --json").json()["level"] == 0.8);
  }
  CHECK(tool("fit polynomial --level 0.8 --json -q").json()["level"] == 0.8);
  CHECK(contains(tool("runs --failures --level 0.8").out, "80 % interval"));
  // The verdict does not move with it.
  const auto verdict = [&](const char* level) {
    return tool(std::string("trust --json --response y --level ") + level).json()["responses"][0]["verdict"];
  };
  CHECK(verdict("0.5") == verdict("0.99"));
}

TEST_CASE("the log has the commands as they can be typed again, and says what is out of date") {
  const Tool tool;
  make_fitted(tool);
  CHECK(tool("rank --response 'y' -q").status == 0);
  const json log = tool("log --json").json();
  REQUIRE(log["commands"].size() == 4);
  CHECK(log["commands"][2]["command"] == "renth fit polynomial --model quadratic -q");
  CHECK(log["commands"][3]["words"] == json{"rank", "--response", "y", "-q"});
  const auto current = [&](const std::string& verb) {
    const json all = tool("log --json").json();
    for (const json& r : all["results"])
      if (r["verb"] == verb) return r["up_to_date"].get<bool>();
    return false;
  };
  CHECK(current("rank"));
  tool("set-aside 3 --why doubtful");
  CHECK_FALSE(current("rank"));
  tool("restore 3");
  tool("rank --response y");
  CHECK(current("rank"));
  CHECK(tool("predict --at b=1").status == 2);  // what failed is no part of the study's story
  CHECK(tool("log --json").json()["commands"].size() == 7);
  CHECK(contains(tool("log").out, "renth set-aside 3 --why doubtful"));
}

TEST_CASE("a study that another process writes to still answers, and says that it was not written down") {
  const Tool tool;
  make_fitted(tool);
  REQUIRE(tool("predict").status == 0);
  // Holds the write lock for a few seconds, as a large import does.
  const Answer asked = tool.shell(
      "(echo 'BEGIN IMMEDIATE;'; sleep 4; echo 'ROLLBACK;') | sqlite3 study.db & sleep 0.5; " RENTH_BINARY
      " predict --json; s=$?; wait; exit $s");
  CHECK(asked.status == 0);
  CHECK(asked.json()["predictions"].size() == 1);
  CHECK(contains(asked.err, "the command is not in the log"));
  CHECK(contains(asked.err, "another renth is writing"));
}

TEST_CASE("bytes that are no UTF-8 break neither a document nor the log") {
  const Tool tool;
  make_fitted(tool);
  const Answer planned = tool("plan sobol --runs 3 --batch \"$(printf 'od\\377d')\" --json");
  CHECK(planned.status == 0);
  CHECK(planned.json()["runs"].size() == 3);
  CHECK(tool("log --json").json()["commands"].size() == 4);
  const Answer unknown = tool("predict --at \"$(printf 'a\\377=1')\" --json");
  CHECK(unknown.status == 2);
  CHECK(unknown.json()["error"]["status"] == 2);
}

TEST_CASE("a folder is no model file") {
  const Tool tool;
  const Answer asked = tool("predict --from-model . --at a=1");
  CHECK(asked.status == 2);
  CHECK(contains(asked.err, "cannot read"));
}

TEST_CASE("what is written to is left what it is: a device, a link") {
  const Tool tool;
  make_fitted(tool);
  const Answer device = tool("export model -o /dev/stdout");
  CHECK(device.status == 0);
  CHECK(contains(device.out, "\"format\":\"renth model\""));
  tool.shell("mkdir real && ln -s real/m.json link.json");
  CHECK(tool("export model -o link.json").status == 0);
  CHECK(tool.shell("test -L link.json && test -s real/m.json").status == 0);
  CHECK(tool("export model -o link.json").status == 0);
  CHECK(tool.shell("test -L link.json").status == 0);
  const Answer rows = tool("runs --export /dev/stdout");
  CHECK(contains(rows.out, "id,batch,use"));
}
