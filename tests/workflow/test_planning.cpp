#include <doctest/doctest.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <renth/figure/drawing.hpp>
#include <renth/plan/evenness.hpp>
#include <renth/workflow/assessing.hpp>
#include <renth/workflow/planning.hpp>

using namespace renth;

namespace {

const char* const rig_study = R"toml([study]
name = "rig"
seed = 8
[[parameter]]
name = "a"
label = "a {/Bold b} 'c' _d^e"
span = [0, 10]
[[parameter]]
name = "b"
span = [1, 2]
step = 0.1
[[parameter]]
name = "n"
levels = [0, 1, 4]
[[parameter]]
name = "kind"
choices = ["red", "green"]
[[limit]]
keep = "a <= 10 * b - 5"
[[response]]
name = "y"
[solver]
kind = "manual"
)toml";

struct Rig {
  std::filesystem::path path =
      std::filesystem::temp_directory_path() / ("renth-planning-" + std::to_string(::getpid()));
  Rig() {
    std::filesystem::remove_all(path);
    std::filesystem::create_directories(path);
    std::ofstream(path / "study.toml") << rig_study;
  }
  ~Rig() { std::filesystem::remove_all(path); }
};

PlanningOptions ask(const std::string& method, int runs, const std::string& model = "") {
  PlanningOptions o;
  o.method = method;
  o.request.runs = runs;
  o.request.model = model;
  return o;
}

}  // namespace

TEST_CASE(
    "a plan is found as a batch, as several, or as all that is fitted; what is set aside does not count") {
  const Rig rig;
  Session session(rig.path);
  CHECK_THROWS_AS(find_plan(session, ""), Error);
  plan_batch(session, ask("sobol", 10));
  plan_batch(session, ask("halton", 6));
  PlanningOptions check = ask("random", 5);
  check.use = "check";
  plan_batch(session, check);
  CHECK(find_plan(session, "").points.rows() == 16);
  CHECK(find_plan(session, "").name == "fit-1+fit-2");
  CHECK(find_plan(session, "fit-2").points.rows() == 6);
  CHECK(find_plan(session, "fit-1+check-1").points.rows() == 15);
  session.store.set_aside(1, "", "broken");
  CHECK(find_plan(session, "fit-1").points.rows() == 9);
  CHECK_THROWS_WITH_AS(find_plan(session, "fit-1+none"), doctest::Contains("unknown batch none"), Error);
  std::ofstream(rig.path / "bad.json") << "{\"rows\": []}";
  CHECK_THROWS_WITH_AS(find_plan(session, (rig.path / "bad.json").string()),
                       doctest::Contains("this is not a plan"), Error);
}

TEST_CASE("plans side by side are judged for the same terms, those of the first") {
  const Rig rig;
  Session session(rig.path);
  plan_batch(session, ask("optimal", 12, "linear + a^2"));
  plan_batch(session, ask("spread", 20));
  const AssessResult own = assess_plans(session, {"fit-1", "", {"fit-2"}});
  REQUIRE(own.plans.size() == 2);
  CHECK(own.plans[0].assessment.terms.size() == 6);
  CHECK(own.plans[1].assessment.terms == own.plans[0].assessment.terms);
  CHECK(own.plans[0].assessment.information.d_efficiency > own.plans[1].assessment.information.d_efficiency);
  const AssessResult other = assess_plans(session, {"fit-2", "linear", {}});
  CHECK(other.plans[0].assessment.terms.size() == 5);
  CHECK_FALSE(other.plans[0].assessment.terms_chosen);
}

TEST_CASE("included batches count for an optimal plan and are kept away from by spread") {
  const Rig rig;
  Session session(rig.path);
  const PlanResult first = plan_batch(session, ask("optimal", 6, "linear"));
  PlanningOptions more = ask("optimal", 2, "linear");  // two runs alone could not carry five terms
  CHECK_THROWS_AS(plan_batch(session, more), Error);
  more.include = {"fit-1"};
  CHECK(plan_batch(session, more).plan.size() == 2);
  PlanningOptions away = ask("spread", 5);
  away.include = {"fit-1"};
  away.dry_run = true;
  const PlanResult spread = plan_batch(session, away);
  CHECK(nearest_distances(session.study.space, spread.plan.points, first.plan.points).minCoeff() > 0.3);
  CHECK(spread.assessment.has_value());
  CHECK_FALSE(spread.stored);
}

TEST_CASE("an extended batch keeps its recipe and moves its position; figures before and after are given") {
  const Rig rig;
  Session session(rig.path);
  plan_batch(session, ask("latin-hypercube", 8));
  PlanningOptions more = ask("extend", 8);
  more.of = "fit-1";
  const PlanResult result = plan_batch(session, more);
  CHECK(result.before->runs == 8);
  CHECK(result.assessment->runs == 16);
  CHECK(result.before->terms == result.assessment->terms);
  CHECK(session.store.batch("fit-1")->next == 16);
  CHECK(session.store.runs_of("fit-1").size() == 16);
  CHECK(session.store.runs_of("fit-1").back().origin == "added");
  for (const Run& run : session.store.runs_of("fit-1"))
    CHECK(session.study.space.allows(session.study.point_of_run(run.settings, "run")));
  more.batch = "other";
  CHECK_THROWS_WITH_AS(plan_batch(session, more), doctest::Contains("belongs to the batch it extends"),
                       Error);
  plan_batch(session, ask("optimal", 8, "linear"));
  more = ask("extend", 4);
  more.of = "fit-2";
  CHECK(plan_batch(session, more).assessment->information.d_efficiency > 0);
  CHECK(session.store.runs_of("fit-2").size() == 12);
}

TEST_CASE("two optimal batches of one study differ, and a name does not change the plan") {
  const Rig rig;
  Session session(rig.path);
  PlanningOptions dry = ask("optimal", 11, "quadratic - kind - a*kind - b*kind - n*kind");
  dry.request.restarts = 1;
  dry.dry_run = true;
  const Eigen::MatrixXd one = plan_batch(session, dry).plan.points;
  dry.batch = "named";
  CHECK(plan_batch(session, dry).plan.points == one);
  dry.dry_run = false;
  plan_batch(session, dry);
  dry.batch = "again";
  CHECK(plan_batch(session, dry).plan.points != one);
}

TEST_CASE("figures of plans are drawn whatever people call things, and refuse what they cannot show") {
  const Rig rig;
  Session session(rig.path);
  plan_batch(session, ask("optimal", 16, "quadratic"));
  DrawingOptions o;
  for (const char* figure : {"variance", "region-share", "pairs", "correlation"}) {
    CAPTURE(figure);
    o.figure = figure;
    o.file = rig.path / (std::string(figure) + ".svg");
    draw_figure(session, o);
    CHECK(std::filesystem::file_size(o.file) > 5000);
  }
  o.figure = "variance";
  o.x = "n";
  CHECK_THROWS_WITH_AS(draw_figure(session, o), doctest::Contains("nothing between its values"), Error);
  o.x = "zz";
  CHECK_THROWS_WITH_AS(draw_figure(session, o), doctest::Contains("unknown parameter zz"), Error);
  o = {};
  o.figure = "region-share";
  o.model = "quadratic";
  o.file = rig.path / "share.svg";
  plan_batch(session, ask("random", 3));
  o.batch = "fit-2";
  CHECK_THROWS_WITH_AS(draw_figure(session, o), doctest::Contains("cannot tell some terms apart"), Error);
  CHECK_FALSE(std::filesystem::exists(o.file));
}
