#include <doctest/doctest.h>
#include <sys/stat.h>

#include <cmath>
#include <renth/solver/collect.hpp>
#include <support_files.hpp>

using namespace renth;
using namespace renth::test;

namespace {

Study study_with(const std::string& output, const Scratch& f) {
  return parse_study(
      "[study]\nname = \"s\"\n[[parameter]]\nname = \"radius\"\nspan = [0, 1]\n[[axis]]\nname = "
      "\"t\"\npoints = [1, 2]\n[[response]]\nname = "
      "\"power\"\n[[response]]\nname = \"curve\"\nalong = \"t\"\n[solver]\nkind = \"process\"\ncommand = "
      "[\"solve\"]\n" +
          output,
      f.path);
}

Collected collect(const Study& study, const Scratch& f, std::vector<std::string>* problems = nullptr) {
  return collect_outputs(study, {f.path, f.path / study.solver.output_file, f.path / "stdout"}, problems);
}

/// One number from a file by a source.
double number(const std::string& source, const std::string& text, const std::string& file = "output.txt") {
  const Scratch f;
  f.write(file, text);
  const Study study =
      study_with("output = { power = " + source + ", curve = { json = \"/c\", file = \"c.json\" } }\n", f);
  f.write("c.json", "{\"c\": [3, 4]}");
  return collect(study, f).values.at("power").at(0);
}
std::vector<double> values_of(const std::string& source, const std::string& text, Collected* all = nullptr) {
  const Scratch f;
  f.write("output.txt", text);
  f.write("p", "1");
  const Study study = study_with("output = { curve = " + source + ", power = { number = \"p\" } }\n", f);
  const Collected got = collect(study, f);
  if (all) *all = got;
  return got.values.at("curve");
}

const std::string history = "time;Load (kN);note\n0;1,5;start\n10;9,25;\n20;4;end\n";
const std::string table_of_loads = "# made by a solver\n# t  load\n 0   1.5\n 10  9.25\n\n 20  4\n";

}  // namespace

TEST_CASE("outputs are read from JSON, CSV and text by their names alone") {
  const std::map<std::string, std::string> kinds = {
      {"output = \"json\"\n", "{\"power\": 1.25, \"curve\": [3, 4], \"more\": 1}"},
      {"output = \"csv\"\n", "power,curve_1,curve_2\n0,0,0\n1.25,3,4\n"},
      {"output = { power = { pattern = \"P *= *([-0-9.eE+]+)\" }, curve = { pattern = \"C=([0-9]+)\" } }\n",
       "P = 9\nC=3\nC=4\nP = 1.25\n"}};
  for (const auto& [spec, text] : kinds) {
    CAPTURE(spec);
    const Scratch f;
    const Study study = study_with(spec, f);
    f.write(study.solver.output_file, text);
    const auto values = collect(study, f).values;
    CHECK(values.at("power") == std::vector<double>{1.25});
    CHECK(values.at("curve") == std::vector<double>{3, 4});
  }
}

TEST_CASE("a number is taken from where its source says") {
  CHECK(number("{ json = \"/results/1/P~1max\" }", "{\"results\": [0, {\"P/max\": 2.5}]}") == 2.5);
  CHECK(number("{ csv = \"Load (kN)\" }", history) == 4);
  CHECK(number("{ csv = \"Load (kN)\", take = \"max\" }", history) == 9.25);
  CHECK(number("{ csv = \"Load (kN)\", take = \"min\" }", history) == 1.5);
  CHECK(number("{ csv = \"Load (kN)\", take = \"first\" }", history) == 1.5);
  CHECK(number("{ csv = \"Load (kN)\", take = \"mean\" }", history) == doctest::Approx(14.75 / 3));
  CHECK(number("{ csv = \"Load (kN)\", row = 2 }", history) == 9.25);
  CHECK(number("{ csv = \"Load (kN)\", row = -2 }", history) == 9.25);
  CHECK(number("{ csv = \"Load (kN)\", at = { time = 12.5 } }", history) ==
        doctest::Approx(9.25 - 0.25 * 5.25));
  CHECK(number("{ csv = \"Load (kN)\", at = { time = 20 } }", history) == 4);
  CHECK(number("{ csv = \"Load (kN)\", file = \"deep/h.csv\" }", history, "deep/h.csv") == 4);
  CHECK(number("{ csv = \"x\", skip = 2 }", "solver 1.0\nall well\nx,y\n7,8\n") == 7);
  CHECK(number("{ table = 2 }", table_of_loads) == 4);
  CHECK(number("{ table = \"load\", take = \"max\" }", table_of_loads) == 9.25);
  CHECK(number("{ table = 2, at = { 1 = 15 } }", table_of_loads) == doctest::Approx(6.625));
  CHECK(number("{ pattern = \"P *= *([-0-9.eE+]+)\" }", "P = 1\nP = -2.5e-3 kW\n") == -2.5e-3);
  CHECK(number("{ pattern = \"P *= *([-0-9.eE+]+)\", take = \"first\" }", "P = 1\nP = 2\n") == 1);
  CHECK(number("{ pattern = \"P *= *([-0-9.eE+]+)\" }", "P = 3\n", "stdout") == 3);  // what it only printed
  CHECK(number("{ number = \"power.txt\" }", "\n  +12.5\r\n", "power.txt") == 12.5);
}

TEST_CASE("a curve is interpolated onto the axis's points, and is missing where it does not reach") {
  CHECK(values_of("{ csv = \"y\", over = \"x\" }", "x,y\n0,10\n1.5,25\n4,50\n") ==
        std::vector<double>{20, 30});
  CHECK(values_of("{ csv = \"y\", over = \"x\" }", "x,y\n4,50\n0,10\n1.5,25\n") ==
        std::vector<double>{20, 30});  // in any order
  CHECK(values_of("{ csv = \"y\", over = \"x\" }", "x,y\n1,10\n2,0\n2,20\n") ==
        std::vector<double>{10, 20});  // exact at its points, the later counts
  CHECK(values_of("{ table = 2, over = 1 }", "1 10\n2 20\n3 30\n") == std::vector<double>{10, 20});
  CHECK(values_of("{ json = \"/y\", over = \"/x\" }", "{\"x\": [0, 2], \"y\": [0, 6]}") ==
        std::vector<double>{3, 6});
  CHECK(values_of("{ pattern = \"T=([0-9.]+) P=([0-9.]+)\" }", "T=1.0 P=5\nT=2.0 P=8\nT=3 P=9\n") ==
        std::vector<double>{5, 8});
  CHECK(values_of("{ csv = \"y\" }", "y\n5\n6\n") == std::vector<double>{5, 6});  // one row an axis point
  Collected all;
  const auto part = values_of("{ csv = \"y\", over = \"x\" }", "x,y\n0,10\n1.5,25\n", &all);
  CHECK(part[0] == doctest::Approx(20));
  CHECK(std::isnan(part[1]));
  REQUIRE(all.remarks.size() == 1);
  CHECK(all.remarks[0] == "curve was written from t 0 to 1.5 only, and is missing at 2");
  CHECK_THROWS_WITH_AS(values_of("{ csv = \"y\", over = \"x\" }", "x,y\n7,10\n8,25\n"),
                       doctest::Contains("only"), Error);
  CHECK_THROWS_WITH_AS(values_of("{ csv = \"y\" }", "y\n5\n6\n7\n"),
                       doctest::Contains("3 values and should have 2"), Error);
}

TEST_CASE("every kind of rubbish has its own message") {
  const Scratch f;
  const Study study = study_with("output = \"json\"\n", f);
  CHECK_THROWS_WITH_AS(collect(study, f), doctest::Contains("wrote no output"), Error);
  for (const auto& [text, says] : std::map<std::string, std::string>{
           {"", "is empty"},
           {"{\"power\": 1.2", "cut short"},
           {"{\"power\": 1}", "no curve"},
           {"{\"curve\": [1, 2]}", "no power"},
           {"{\"power\": NaN, \"curve\": [1, 2]}", "not JSON"},
           {"{\"power\": \"1\", \"curve\": [1, 2]}", "no number"},
           {"{\"power\": null, \"curve\": [1, 2]}", "no number"},
           {"{\"power\": 1, \"curve\": [1, 2, 3]}", "3 values and should have 2"},
           {"{\"power\": 1, \"curve\": 2}", "not a list"},
           {"{\"power\": [1, 2], \"curve\": [1, 2]}", "2 values and should have 1"},
           {"[1, 2]", "no power"},
           {"{\"power\": 1e999, \"curve\": [1, 2]}", "not JSON"}}) {
    CAPTURE(text);
    f.write("output.json", text);
    CHECK_THROWS_WITH_AS(collect(study, f), doctest::Contains(says.c_str()), Error);
  }
  for (const auto& [source, text, says] : std::vector<std::tuple<std::string, std::string, std::string>>{
           {"{ csv = \"P\" }", "P,Q\n1,2\n3\n", "1 cells and the header 2"},
           {"{ csv = \"P\" }", "Q\n1\n", "no column P (but Q)"},
           {"{ csv = \"P\" }", "P\n", "header and no row"},
           {"{ csv = \"P\" }", "P\n1\nnan\n", "wrote nan for power (line 3)"},
           {"{ csv = \"P\" }", "P\n1\n1.2.3\n", "must be a number, not \"1.2.3\""},
           {"{ csv = \"P\", row = 4 }", "P\n1\n", "row 4, and there are 1"},
           {"{ csv = \"P\", at = { t = 5 } }", "t,P\n0,1\n1,2\n", "does not reach"},
           {"{ csv = \"P\", skip = 9 }", "P\n1\n", "fewer than 10 lines"},
           {"{ table = 3 }", "1 2\n3 4\n", "2 columns without titles"},
           {"{ table = 1 }", "1 2\n3\n", "line 2 has 1 columns"},
           {"{ table = 1 }", "# nothing\n", "no row of numbers"},
           {"{ pattern = \"P=([0-9]+)\" }", "Q=1\n", "does not match"},
           {"{ pattern = \"P=(.*)\" }", "P=\n", "empty"},
           {"{ json = \"/a/b\" }", "{\"a\": 1}", "no power at /a/b"},
           {"{ number = \"output.txt\" }", "12 13\n", "must be a number, not \"12 13\""},
           {"{ number = \"output.txt\" }", "1e999", "too large"}}) {
    CAPTURE(source);
    CAPTURE(text);
    CHECK_THROWS_WITH_AS(number(source, text), doctest::Contains(says.c_str()), Error);
  }
}

TEST_CASE("an output of two gigabytes is refused without being read") {
  const Scratch f;
  const Study study = study_with("output = \"json\"\n", f);
  f.write("output.json", "{");
  std::filesystem::resize_file(f.path / "output.json", std::uintmax_t{2} << 30);  // a hole: it takes no room
  CHECK_THROWS_WITH_AS(collect(study, f), doctest::Contains("has 2048 MB, more than 64"), Error);
}

TEST_CASE("a sample is tried as a whole: every problem, and what was found") {
  const Scratch f;
  const Study study = study_with("output = { power = { csv = \"P\" }, curve = { csv = \"C\" } }\n", f);
  f.write("output.txt", "P,D\n1,2\n");
  std::vector<std::string> problems;
  const Collected got = collect(study, f, &problems);
  CHECK(got.values.at("power")[0] == 1);
  REQUIRE(problems.size() == 1);
  CHECK(problems[0].find("curve: the output has no column C_1") == 0);
}

TEST_CASE("output of any shape ends in a message: nested deep, a pipe, a device, a pattern that never ends") {
  const std::string deep = "{\"p\": " + std::string(100'000, '[') + std::string(100'000, ']') + "}";
  CHECK_THROWS_WITH_AS(number("{ json = \"/p\" }", deep), doctest::Contains("nested more than 200 deep"),
                       Error);
  const Scratch f;
  const Study study = study_with("output = { power = { number = \"p\" }, curve = { json = \"/c\" } }\n", f);
  f.write("output.txt", "{\"c\": [3, 4]}");
  REQUIRE(mkfifo((f.path / "p").c_str(), 0600) == 0);
  CHECK_THROWS_WITH_AS(collect(study, f), doctest::Contains("not a plain file"), Error);
  std::filesystem::remove(f.path / "p");
  std::filesystem::create_symlink("/dev/zero", f.path / "p");
  CHECK_THROWS_WITH_AS(collect(study, f), doctest::Contains("not a plain file"), Error);
  REQUIRE(mkfifo((f.path / "stderr").c_str(), 0600) == 0);
  f.write("stdout", "H\xf6he \x1b[31m!\n");
  CHECK(last_words(f.path) == "H\xef\xbf\xbdhe ␛[31m!");
}

TEST_CASE("a pattern finds what it says in lines of any length, and never takes for ever") {
  const std::string line = std::string(300'000, 'x') + " P = 4.5 ";
  CHECK(number("{ pattern = \"P *= *([-0-9.eE+]+)\" }", line) == 4.5);
  CHECK(number("{ pattern = \"(?<=P = )([0-9.]+)(?! kN)\" }", "P = 4.5 kW") == 4.5);
  CHECK(number("{ pattern = \"^P=([0-9]+)$\" }", "Q\nP=7\nR") == 7);
  CHECK(number("{ pattern = \"([0-9]+)\", take = \"mean\" }", "1 2 3\n4 5 6") == 3.5);
  // Catastrophic for matchers that go back (R. Cox, Regular Expression Matching Can Be Simple And Fast,
  // 2007).
  CHECK_THROWS_WITH_AS(number("{ pattern = \"(?:x+x+)+y([0-9]+)\" }", std::string(5000, 'x') + " y1"),
                       doctest::Contains("takes too long"), Error);
}
