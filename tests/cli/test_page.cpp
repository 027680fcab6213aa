// The live page in Debian's Chromium: a script moves mouse and keys and says what came of it, cases check
// that.
#include <doctest/doctest.h>

#include <cli/solver_study.hpp>
#include <cmath>
#include <csignal>
#include <random>
#include <utility>

using namespace renth::test;
using nlohmann::json;

namespace {

/// What the scenario reports.
json driven(const Tool& tool, const std::string& file, const std::string& scenario,
            const std::string& extra = "", const std::string& environment = "") {
  const Answer a = tool.shell(environment +
                              " RENTH_NODE_MODULES=" RENTH_WEB_BUILD "/node_modules node " RENTH_TESTS
                              "/web/drive.mjs \"$PWD/" +
                              file + "\" " + scenario + " " + extra);
  CAPTURE(a.err);
  REQUIRE(a.status == 0);
  const json out = a.json();
  CHECK(out["errors"] == json::array());
  CHECK(out["requests"] == json::array());  // nothing leaves the page
  CHECK(out["ready"] == "true");
  return out;
}

void page_of_formula(const Tool& tool, const std::string& kind = "kriging") {
  tool.write("study.toml", formula_study);
  REQUIRE(tool("plan latin-hypercube --runs 40").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit " + kind + " --json").status <= 1);
  REQUIRE(tool("seek --maximise y --json").status == 0);
  REQUIRE(tool("rank --json").status == 0);
  REQUIRE(tool("explore -o page.html").status == 0);
}

/// Every number of one document is that of the other, to a share of its size.
void check_alike(const json& a, const json& b, const std::string& where) {
  REQUIRE(a.type_name() == std::string(b.type_name()));
  if (a.is_number()) {
    const double x = a, y = b;
    CHECK_MESSAGE(std::abs(x - y) <= 1e-9 * std::max(1.0, std::abs(x)), where, ": ", x, " and ", y);
  } else if (a.is_structured()) {
    REQUIRE(a.size() == b.size());
    if (a.is_array())
      for (std::size_t i = 0; i < a.size(); ++i) check_alike(a[i], b[i], where);
    else
      for (const auto& [key, value] : a.items()) check_alike(value, b.at(key), where + "." + key);
  } else {
    CHECK(a == b);
  }
}

}  // namespace

TEST_CASE("the page predicts what the tool does") {
  const Tool tool;
  for (const char* kind : {"kriging", "polynomial --model quadratic"}) {
    CAPTURE(kind);
    page_of_formula(tool, kind);
    // Settings by name for the page, a table for the tool.
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> u(0, 1);
    json points = json::array();
    std::string table = "a,b,c\n";
    const char* names[] = {"red", "green"};
    constexpr int count = 500;
    for (int i = 0; i < count; ++i) {
      const double a = 4 * u(random), b = 2 * u(random) - 1;
      const char* c = names[i % 2];
      points.push_back({{"a", a}, {"b", b}, {"c", c}});
      std::ostringstream row;
      row.precision(17);
      row << a << "," << b << "," << c << "\n";
      table += row.str();
    }
    tool.write("points.json", points.dump());
    tool.write("points.csv", table);
    const Answer told = tool("predict --points points.csv --json");
    CAPTURE(told.err);
    REQUIRE(told.status <= 1);
    const json here = driven(tool, "page.html", "predict", "\"$PWD/points.json\"")["predictions"],
               there = told.json()["predictions"];
    REQUIRE(here.size() == count);
    for (int i = 0; i < count; ++i)
      check_alike(there[std::size_t(i)]["responses"], here[std::size_t(i)]["responses"], "prediction");
    tool.shell("rm -f study.db");
  }
}

TEST_CASE("settings move by mouse, by keys and by typing, and stop at the ends") {
  const Tool tool;
  page_of_formula(tool);
  const json moved = driven(tool, "page.html", "move", "a");
  CHECK(moved["before"] != moved["dragged"]);
  CHECK(std::stod(moved["arrow"].get<std::string>()) > std::stod(moved["dragged"].get<std::string>()));
  CHECK(contains(moved["words"], "goes from"));
}

TEST_CASE("what people do with the page: map, wishes, fences, runs, quality, compare") {
  const Tool tool;
  page_of_formula(tool);
  const json done = driven(tool, "page.html", "jobs");
  CHECK(done["first"]["mean"].is_number());
  CHECK(done["first"]["inside"] == "true");
  CHECK(done["map_moved"] == true);
  CHECK(contains(done["climbed"], "the best from here"));
  CHECK(std::stod(done["fences"]["left"].get<std::string>()) == doctest::Approx(1).epsilon(0.01));
  CHECK(std::stod(done["fenced"]["left"].get<std::string>()) <
        std::stod(done["fences"]["left"].get<std::string>()));
  CHECK(contains(done["runs"], "40 of 40 runs"));
  CHECK(contains(done["filtered"], " of 40 runs"));
  CHECK_FALSE(contains(done["filtered"], "40 of 40"));
  CHECK(contains(done["dragged"], " of 40 runs"));
  CHECK_FALSE(contains(done["dragged"], "40 of 40"));
  CHECK(contains(done["quality"], "Q²"));
  CHECK(done["first_now"] == done["last_before"]);
  CHECK(done["lines"] >= 3);     // two values of b at least, and what is acceptable
  CHECK(done["compared"] == 3);  // the names, now, and what was kept
  CHECK(done["unnamed"] == 0);   // everything says to a screen reader what it is
  CHECK(done["opened_ms"] < 20'000);
}

TEST_CASE("a study without a fit shows its runs; hostile names do no harm; one parameter is enough") {
  const Tool tool;
  tool.write("study.toml", R"toml([study]
name = "</script><script>alert(1)</script>"
[[parameter]]
name = "a"
label = "<b>bold</b> & \"quoted\""
span = [0, 1]
[[response]]
name = "y"
label = "</script><img src=x onerror=alert(1)>"
[solver]
kind = "formula"
[solver.formula]
y = "a^2"
)toml");
  REQUIRE(tool("plan latin-hypercube --runs 12").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("explore -o page.html").status == 0);
  const json bare = driven(tool, "page.html", "open");
  CHECK(contains(bare["words"], "nothing is fitted"));
  CHECK(contains(bare["words"], "12 of 12 runs"));
  CHECK(contains(bare["words"], "</script><script>alert(1)</script>"));
  REQUIRE(tool("fit --json").status <= 1);
  REQUIRE(tool("explore -o page.html").status <= 1);
  const json one = driven(tool, "page.html", "jobs");
  CHECK(one["first"]["mean"].is_number());
  CHECK(contains(one["words"], "<b>bold</b>"));
}

TEST_CASE("the pages of the buoy and of the tank") {
  const Tool tool;
  const std::string buoy = "-s buoy ", tank = "-s tank ";
  REQUIRE(tool("init buoy --demo buoy").status == 0);
  REQUIRE(tool(buoy + "plan latin-hypercube --runs 50").status == 0);
  CHECK(tool(buoy + "run -q").status <= 3);
  REQUIRE(tool(buoy + "fit --json").status <= 1);
  REQUIRE(tool(buoy + "seek --front --points 20 --json").status <= 1);
  REQUIRE(tool("init tank --demo tank").status == 0);
  REQUIRE(tool(tank + "plan").status == 0);
  REQUIRE(tool(tank + "run -q").status == 0);
  REQUIRE(tool(tank + "fit polynomial --json").status <= 1);
  for (const std::string& study : {buoy, tank}) {
    CAPTURE(study);
    REQUIRE(tool(study + "explore -o page.html").status <= 1);
    const json done = driven(tool, "page.html", "jobs");
    CHECK(done["first"]["mean"].is_number());
    CHECK(done["map_moved"] == true);
    CHECK(contains(done["climbed"], "from here"));
    CHECK(done["fenced"]["left"] != done["fences"]["left"]);
    CHECK(contains(done["quality"], "Q²"));
    CHECK(done["unnamed"] == 0);
    CHECK(done["opened_ms"] < 20'000);
  }
  // The trade-off, and a curve along its axis.
  REQUIRE(tool(buoy + "draw front -o f.html").status <= 1);
  CHECK(contains(driven(tool, "f.html", "front")["stepped"], "20 settings"));
  REQUIRE(tool(buoy + "draw curve -o f.html").status <= 1);
  CHECK(contains(driven(tool, "f.html", "open")["words"], "how well each point is predicted"));
}

TEST_CASE("a figure as a page of its own") {
  const Tool tool;
  page_of_formula(tool);
  for (const char* figure : {"contour", "surface", "slices", "predicted-observed", "importance"}) {
    CAPTURE(figure);
    REQUIRE(tool(std::string("draw ") + figure + " --response z --at a=1,c=green -o f.html").status == 0);
    const json shown = driven(tool, "f.html", "open");
    CHECK_FALSE(contains(shown["words"], "Compare"));
    CHECK(contains(shown["words"], "acceptable"));
  }
  REQUIRE(tool("draw slices --by c --response z -o f.html").status == 0);
  CHECK(contains(driven(tool, "f.html", "open")["words"], "green"));
  REQUIRE(tool("draw slices --by c --response z -o f.svg").status == 0);
  CHECK(contains(tool.read("f.svg"), "for several values of c"));
  CHECK(contains(tool("draw slices --by d -o f.html").err, "unknown parameter d"));
  CHECK(contains(tool("draw contour --x d -o f.html").err, "unknown parameter d"));
  CHECK(contains(tool("draw residuals -o f.html").err, "is a still figure"));
  CHECK(contains(tool("draw nothing -o f.html").err, "unknown figure nothing"));
}

TEST_CASE("a page that cannot be written is refused with what to do") {
  const Tool tool;
  tool.write("study.toml", formula_study);
  CHECK(contains(tool("explore -o page.txt").err, "ends in .html"));
  CHECK(tool("explore -o none/there/page.html").status == 4);
}

TEST_CASE("thirty parameters and twenty responses, levels, limits and a curve: the page opens and answers") {
  const Tool tool;
  std::string text = "[study]\nname = \"large\"\n";
  std::string sum = "0";
  for (int j = 1; j <= 30; ++j) {
    text += "[[parameter]]\nname = \"p" + std::to_string(j) + "\"\n" +
            (j % 10 == 0 ? "levels = [0, 1, 2]\n" : "span = [0, 2]\nscatter = { normal = 0.05 }\n");
    if (j % 3 == 0) sum += " + " + std::to_string(j) + " * p" + std::to_string(j);
  }
  text += "[[limit]]\nkeep = \"p1 + p2 <= 2.5\"\n[[axis]]\nname = \"t\"\npoints = [0, 1, 2]\n";
  for (int k = 1; k <= 20; ++k)
    text += "[[response]]\nname = \"y" + std::to_string(k) + "\"\n" +
            (k == 1 ? "goal = \"maximise\"\naccept = { min = 100 }\n" : "");
  text +=
      "[[response]]\nname = \"f\"\nalong = \"t\"\n[solver]\nkind = \"formula\"\n[solver.formula]\nf = \"p1 + "
      "t * p2\"\n";
  for (int k = 1; k <= 20; ++k)
    text += "y" + std::to_string(k) + " = \"" + sum + " + " + std::to_string(k) + " * p1\"\n";
  tool.write("study.toml", text);
  REQUIRE(tool("plan latin-hypercube --runs 120").status == 0);
  REQUIRE(tool("run -q").status == 0);
  REQUIRE(tool("fit polynomial --model linear --json").status <= 1);
  const Answer made = tool("explore -o page.html");
  CAPTURE(made.err);
  REQUIRE(made.status <= 1);
  const json done = driven(tool, "page.html", "jobs");
  CHECK(done["first"]["mean"].is_number());
  CHECK(done["yield"].is_string());
  CHECK(contains(done["words"], "y20"));
  // A move that the limit forbids stops where it does.
  const json moved = driven(tool, "page.html", "move", "p1");
  CHECK(contains(moved["words"], "p1 + p2 <= 2.5"));
  const json curve = driven(tool, "page.html", "view", "curve");
  CHECK(contains(curve["words"], "how well each point is predicted"));
}

TEST_CASE("what the page carries of a study that has been worked on") {
  const Tool tool;
  page_of_formula(tool);
  REQUIRE(tool("mark favourite --at a=2,b=0.3,c=green").status == 0);
  REQUIRE(tool("set-aside 3 --why \"odd one\"").status == 0);
  REQUIRE(tool("fit kriging --json").status <= 1);
  REQUIRE(tool("explore -o page.html").status == 0);
  CHECK(contains(driven(tool, "page.html", "view", "compare")["words"], "green"));
  CHECK(contains(driven(tool, "page.html", "view", "runs")["words"], "set aside"));
  // The same study, the same bytes.
  const std::string first = tool.read("page.html");
  REQUIRE(tool("explore -o page.html").status == 0);
  CHECK(tool.read("page.html") == first);
}

namespace {

/// `renth explore` in the background: its address, and its process until the end of the scope.
class Served {
 public:
  explicit Served(const Tool& tool) : pid(tool.start("explore --json")) {
    tool.shell("for i in $(seq 200); do grep -q url .bg.out && break; sleep 0.05; done");
    url = json::parse(tool.read(".bg.out"))["url"];
  }
  ~Served() {
    if (pid > 0) {
      kill(pid, SIGKILL);
      Tool::end(pid);
    }
  }
  /// Ends it with a signal. \returns  its exit status.
  int end(int with) {
    kill(pid, with);
    return Tool::end(std::exchange(pid, 0));
  }
  Served(const Served&) = delete;
  Served& operator=(const Served&) = delete;
  std::string url;
  pid_t pid;
};

}  // namespace

TEST_CASE("a served page keeps marks and windows, confirms, and says what others do") {
  const Tool tool;
  page_of_formula(tool);
  const Served served(tool);
  const std::string environment =
      "RENTH_TOOL=" RENTH_BINARY " RENTH_SERVER_PID=" + std::to_string(served.pid) +
      " RENTH_NODE_MODULES=" RENTH_WEB_BUILD "/node_modules ";
  const Answer a =
      tool.shell(environment + "node " RENTH_TESTS "/web/drive.mjs " + served.url + " served 40");
  CAPTURE(a.err);
  REQUIRE(a.status == 0);
  const json done = a.json();
  CHECK(done["errors"] == json::array());
  CHECK(done["requests"] == json::array());  // it asks nobody but its server
  CHECK(contains(done["confirmed"], "done"));
  CHECK(contains(done["runs"], "41 of 41 runs"));
  CHECK(done["after_loading"] == "0.75");
  CHECK(done["kept"] == json{"favourite", "from_outside"});
  CHECK(done["kept_without"] == 3);
  // What it did is in the study, and in its log as commands.
  const json marks = tool("mark --json").json()["marks"];
  CHECK(marks.size() == 2);
  CHECK(marks[0]["point"]["a"] == 1.25);
  const std::string log = tool("log").out;
  CHECK(contains(log, "renth mark favourite --at a=1.25"));
  CHECK(contains(log, "renth confirm --at a=1.25"));
  CHECK(contains(log, "--keep-as from_page"));
  CHECK(tool("window --centre-at a=1 --json").status <= 2);
}

TEST_CASE("what a served page refuses, and how it ends") {
  const Tool tool;
  page_of_formula(tool);
  Served served(tool);
  const Answer a = tool.shell("node " RENTH_TESTS "/web/attack.mjs " + served.url);
  CAPTURE(a.err);
  REQUIRE(a.status == 0);
  const json got = a.json();
  CHECK(got["page"] == 200);
  CHECK(got["own_call"] == 200);
  CHECK(contains(got["policy"], "default-src 'none'"));
  CHECK(contains(got["policy"], "connect-src 'self'"));
  CHECK(contains(got["headers"], "no-referrer"));
  for (const char* attack :
       {"foreign_host", "foreign_host_port", "two_hosts", "foreign_origin", "other_port", "null_origin",
        "no_origin", "foreign_reader", "cross_site", "same_site", "no_token", "wrong_token", "half_token"})
    CHECK_MESSAGE(got[attack] == 403, attack);
  CHECK(got["no_host"].get<int>() >= 400);
  CHECK(got["form"] == 415);
  for (const json& one : got["traversal"]) {
    CHECK(one["status"].get<int>() >= 400);
    CHECK(one["leaks"] == false);
  }
  CHECK((got["huge_body"] == 413 || got["huge_body"] == 0));  // the rest of it is cut off
  CHECK(got["said_huge"] == 413);
  CHECK(got["endless"] == 411);
  CHECK(got["put"] == 405);
  CHECK(got["unknown_call"] == 400);
  CHECK(got["no_json"] == 400);
  CHECK(got["deep_json"] == 400);
  CHECK(got["long_line"].get<int>() >= 400);
  CHECK(got["smuggled"] == 1);
  CHECK(got["alive"] == 200);
  const json marks = tool("mark --json").json()["marks"];
  REQUIRE(marks.size() == 1);
  CHECK(marks[0]["mark"] == "own");
  // Another one has another address; the first goes on, and both end when asked to.
  {
    Served second(tool);
    CHECK(second.url != served.url);
    CHECK(second.end(SIGTERM) == 0);
  }
  CHECK(served.end(SIGINT) == 0);
}
