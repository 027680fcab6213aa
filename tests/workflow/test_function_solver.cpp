// A function of the caller's as solver of a manual study.
#include <doctest/doctest.h>

#include <cmath>
#include <limits>
#include <renth/store/maker.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/planning.hpp>
#include <renth/workflow/running.hpp>
#include <stdexcept>
#include <support_files.hpp>

using namespace renth;
using namespace renth::test;

namespace {

const char* const study_text = R"toml([study]
name = "function"
seed = 3
[[parameter]]
name = "a"
span = [0, 4]
[[parameter]]
name = "hull"
choices = ["steel", "composite"]
[[axis]]
name = "t"
points = [1, 2, 3]
[[response]]
name = "y"
[[response]]
name = "curve"
along = "t"
[[response]]
name = "top"
derive = "max(curve)"
)toml";

void plan_runs(Session& session, int runs) {
  PlanningOptions options;
  options.method = "random";
  options.given = {"runs"};
  options.request.runs = runs;
  plan_batch(session, options);
}

std::map<std::string, std::vector<double>> plain(const Settings& s) {
  const double a = std::get<double>(s.at("a"));
  return {{"y", {a * a}}, {"curve", {a, 2 * a, a + 1}}};
}

int count_of(Session& session, RunStatus status) {
  int out = 0;
  for (const RunHead& head : session.store.heads()) out += head.status == status;
  return out;
}

}  // namespace

TEST_CASE("a function computes planned runs one by one, and each is kept before the next") {
  const Scratch scratch;
  scratch.write("study.toml", study_text);
  {
    Session session(scratch.path);
    plan_runs(session, 8);
    int calls = 0;
    const SolverFunction dies = [&](const Settings& s) {
      if (++calls == 4) throw std::runtime_error("the program ends");
      return plain(s);
    };
    CHECK_THROWS_AS(run_function(session, "f", dies, {}), std::runtime_error);
    CHECK(count_of(session, RunStatus::done) == 3);
    CHECK(count_of(session, RunStatus::planned) == 5);
  }
  Session session(scratch.path);
  int calls = 0, told = 0;
  RunningOptions options;
  options.progress = [&](const Progress& p) { told = p.done + p.failed; };
  const RunSummary summary = run_function(
      session, "f",
      [&](const Settings& s) {
        if (++calls == 2) throw Error("mesh too coarse", "f", "", ErrorKind::solver);
        return plain(s);
      },
      options);
  CHECK(calls == 5);
  CHECK(told == 5);
  CHECK(summary.done == 4);
  CHECK(summary.failed == 1);
  CHECK(summary.left == 0);
  CHECK(summary.failures.at(0).second.find("mesh too coarse") != std::string::npos);
  for (const Run& run : session.store.runs())
    if (run.status == RunStatus::done) {
      const double a = std::get<double>(run.settings.at("a"));
      CHECK(run.responses.at("y").values == std::vector<double>{a * a});
      CHECK(run.responses.at("curve").values == std::vector<double>{a, 2 * a, a + 1});
    }
}

TEST_CASE("answers that are no responses make a run fail and say why") {
  const Scratch scratch;
  scratch.write("study.toml", study_text);
  Session session(scratch.path);
  const std::pair<std::map<std::string, std::vector<double>>, const char*> answers[] = {
      {{}, "it answered no response"},
      {{{"z", {1}}}, "z, which is no response"},
      {{{"y", {1, 2}}}, "2 values of y"},
      {{{"curve", {1}}}, "1 values of curve"},
      {{{"top", {1}}}, "top is derived"},
      {{{"y", {std::numeric_limits<double>::infinity()}}}, "it answered no response"}};
  plan_runs(session, 6);
  int k = 0;
  const RunSummary summary =
      run_function(session, "f", [&](const Settings&) { return answers[k++].first; }, {});
  REQUIRE(summary.failures.size() == 6);
  for (int i = 0; i < 6; ++i)
    CHECK(summary.failures[std::size_t(i)].second.find(answers[i].second) != std::string::npos);
  // What is missing of a curve is missing, no more.
  plan_runs(session, 1);
  CHECK(run_function(
            session, "f",
            [](const Settings&) {
              return std::map<std::string, std::vector<double>>{{"y", {1}}, {"curve", {1, std::nan(""), 3}}};
            },
            {})
            .done == 1);
  CHECK_THROWS_WITH_AS(run_function(session, "", plain, {}), doctest::Contains("no name"), Error);
  scratch.write("formula/study.toml",
                "[study]\nname = \"f\"\n[[parameter]]\nname = \"a\"\nspan = [0, 1]\n[[response]]\nname = "
                "\"y\"\n[solver]\nkind = \"formula\"\n[solver.formula]\ny = \"a\"\n");
  Session other(scratch.path / "formula");
  CHECK_THROWS_WITH_AS(run_function(other, "f", plain, {}), doctest::Contains("a solver of its own"), Error);
}

TEST_CASE("runs of two functions are not fitted together unless that is wanted, and can be renewed") {
  const Scratch scratch;
  scratch.write("study.toml", study_text);
  {
    Session session(scratch.path);
    plan_runs(session, 10);
    run_function(session, "first", plain, {});
    CHECK(fit_responses(session, {.responses = {"y"}}).models.size() == 1);
  }
  Session session(scratch.path);
  for (const Note& note : fit_responses(session, {.responses = {"y"}}).notes)
    CHECK(note.code != "other_maker");
  plan_runs(session, 4);
  run_function(session, "second", [](const Settings&) { return plain({{"a", 1.0}}); }, {});
  CHECK_THROWS_WITH_AS(fit_responses(session, {.responses = {"y"}}), doctest::Contains("not computed alike"),
                       Error);
  CHECK(fit_responses(session, {.responses = {"y"}, .mixed = true}).models.size() == 1);
  RunningOptions again;
  again.renew = true;
  CHECK(run_function(session, "second", plain, again).done == 10);
  CHECK(fit_responses(session, {.responses = {"y"}}).models.at(0).runs == 14);
}
