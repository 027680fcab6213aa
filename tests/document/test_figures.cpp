#include <doctest/doctest.h>

#include <cmath>
#include <renth/document/figures.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/wording.hpp>

using namespace renth;

TEST_CASE("a figure listed once is in the document by its key and in the table by its title") {
  const Rows rows = {
      {text("response", "response", "power"), number("mean", "mean", 12.3456789, 4, "kW"),
       bounds("prediction", "of a run", 11, 13.5, 0.8), per_cent("share", "share", 0.256),
       yes_no("within", "within limits", true), number("hidden", "", 3), text("", "shown", "only")},
      {text("response", "response", "load"), number("mean", "mean", NAN, 4, "kW"),
       bounds("prediction", "of a run", NAN, NAN, 0.8), per_cent("share", "share", 0.5),
       yes_no("within", "within limits", false), number("hidden", "", 4), text("", "shown", "")}};
  CHECK(
      json_of(rows).dump() ==
      R"([{"response":"power","mean":12.3456789,"prediction":[11.0,13.5],"share":0.256,"within":true,"hidden":3.0},)"
      R"({"response":"load","mean":null,"prediction":null,"share":0.5,"within":false,"hidden":4.0}])");
  const std::string table = table_of(rows);
  for (const char* part : {"mean [kW]", "80 % of a run", "share [%]", "12.35", "11.00 … 13.50", "25.6", "NO",
                           "undefined", "only"})
    CHECK(table.find(part) != std::string::npos);
  CHECK(table.find("hidden") == std::string::npos);
}

TEST_CASE("numbers of a column align on the point, each with the digits that its error leaves") {
  const Rows rows = {
      {number("", "mean", 51.23456).known_to(0.83),
       bounds("", "of a run", 49.1234, 53.4, 0.95).known_to(0.83)},
      {number("", "mean", 1234.5).known_to(41), bounds("", "of a run", 1150, 1320.25, 0.95).known_to(41)},
      {number("", "mean", 7).known_to(0), bounds("", "of a run", -7, 7, 0.95).known_to(0)},
      {number("", "mean", NAN), bounds("", "of a run", NAN, NAN, 0.95)}};
  CHECK(table_of(rows) ==
        "     mean      95 % of a run\n"
        "  ───────  ─────────────────\n"
        "    51.23    49.12 …   53.40\n"
        "  1234     1150    … 1320\n"
        "     7       -7    …    7\n"
        "        –          undefined\n");
}

TEST_CASE("decimals are those that the error leaves, and no more than are read") {
  CHECK(deserved_decimals(51.23456, 0.83) == 2);
  CHECK(deserved_decimals(51.23456, 8.3) == 1);
  CHECK(deserved_decimals(5123.4, 830) == 0);
  CHECK(deserved_decimals(6.065204836, 1e-9) == 5);
  CHECK(deserved_decimals(1.25, 0) == 3);
  CHECK(deserved_decimals(7, 0) == 0);
  CHECK(deserved_decimals(0.0012345, NAN, 5) == 7);
  CHECK(deserved_decimals(0, 0.5) == 2);
  CHECK(deserved_decimals(0, 0) == 0);
}

TEST_CASE("a next step names the study that is elsewhere, in commands and not in remarks") {
  const std::string text = "a renth b\n" + next_step("cd x && renth check", "or renth plan") + "end";
  CHECK(in_study(text, "") == text);
  CHECK(in_study(text, "-s 'a b'") == "a renth b\nnext: cd x && renth -s 'a b' check   # or renth plan\nend");
  CHECK(in_study(next_step("renth -s x fit"), "-s y") == "next: renth -s x fit\n");
}

TEST_CASE("what has no title is in the document alone") {
  const Rows rows = {{whole("rank", "proposal", 1), yes_no("inside", "", true)}};
  CHECK(json_of(rows).dump() == R"([{"rank":1,"inside":true}])");
  CHECK(table_of(rows).find("yes") == std::string::npos);
}

TEST_CASE("groups are objects in the document and columns in print") {
  const Figures figures = {
      group("quality", {number("q2", "Q²", 0.5), group("check", {number("r2", "check R²", 0.25)})}),
      list("points", {{whole("runs", "", 3)}})};
  CHECK(json_of(figures).dump() == R"({"quality":{"q2":0.5,"check":{"r2":0.25}},"points":[{"runs":3}]})");
  CHECK(json_of(only(Rows{figures}, {"quality.check.r2"})).dump() == R"([{"r2":0.25}])");
  CHECK(only(Rows{figures}, {"quality.missing"}).front().empty());
  const Rows some = only({Figures{}, figures}, {"quality.check.r2"});
  CHECK(some[0].front().shown == "–");
  CHECK(some[0].front().title == some[1].front().title);
  const std::string beside = beside_each_other({{"one", figures}, {"two", figures}});
  CHECK(beside.find("check R²  0.2500  0.2500") != std::string::npos);
}

TEST_CASE("along an axis each key has the array of its values") {
  const Rows rows = {{number("mean", "mean", 1), bounds("prediction", "", 0, 2, 0.9),
                      bounds("calibrated", "", NAN, NAN, 0.9)},
                     {number("mean", "mean", NAN), bounds("prediction", "", 1, 3, 0.9),
                      bounds("calibrated", "", NAN, NAN, 0.9)}};
  CHECK(json_of(along_axis(rows)).dump() ==
        R"({"mean":[1.0,null],"prediction":[[0.0,2.0],[1.0,3.0]],"calibrated":null})");
}

TEST_CASE("levels are written as they were asked") {
  CHECK(level_text(0.95) == "95 %");
  CHECK(level_text(0.8) == "80 %");
  CHECK(level_text(0.999) == "99.9 %");
}

TEST_CASE("fields of the core become options of the tool, other text in backquotes stays") {
  CHECK(in_options("use `runs=24`, or a smaller `model`") == "use --runs 24, or a smaller --model");
  CHECK(in_options("`centre_runs`") == "--centre-runs");
  CHECK(in_options("`stage=axial` with `of` this batch") == "--stage axial with --of this batch");
  for (const char* same : {"no quotes", "one ` alone", "`Solver says 3`", "``", "`a b`"})
    CHECK(in_options(same) == same);
  CHECK(in_options("it said `No!` and `runs`") == "it said `No!` and --runs");
}
