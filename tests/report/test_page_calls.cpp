// What a served page may ask, without a server between: calls from several threads, events, what is refused.
#include <doctest/doctest.h>

#include <atomic>
#include <chrono>
#include <renth/report/page_calls.hpp>
#include <renth/report/page_template.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/planning.hpp>
#include <renth/workflow/running.hpp>
#include <support_files.hpp>
#include <thread>
#include <tuple>

using namespace renth;
using namespace renth::test;

namespace {

const std::string head = R"toml([study]
name = "served"
[[parameter]]
name = "a"
span = [0, 4]
[[parameter]]
name = "hull"
choices = ["steel", "composite"]
[[response]]
name = "y"
accept = { min = 1 }
)toml";
const std::string formula = head + "[solver]\nkind = \"formula\"\n[solver.formula]\ny = \"a * a + 1\"\n";
/// The same by a program that takes its time.
const std::string program = head +
                            "[solver]\nkind = \"process\"\noutput = \"json\"\ncommand = [\"sh\", \"-c\", "
                            "\"sleep 0.5; echo '{\\\"y\\\": "
                            "2}' > $1\", \"-\", \"{output}\"]\n";

struct ServedStudy : Scratch {
  ServedStudy() {
    write("study.toml", formula);
    Session session(path);
    PlanningOptions plan;
    plan.method = "latin-hypercube";
    plan.request.runs = 20;
    plan_batch(session, plan);
    run_batches(session, {});
    FittingOptions fit;
    fit.kind = "polynomial";
    fit.terms = "quadratic";
    fit_responses(session, fit);
  }
};

Json body_of(const PageAnswer& answer) {
  return Json::parse(answer.body);
}

/// The next event that is called so, from number `after` on; null: it did not come.
Json await(PageCalls& calls, std::uint64_t& after, const std::string& name) {
  const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(30);
  while (std::chrono::steady_clock::now() < end)
    if (const auto text = calls.event(after)) {
      Json event = Json::parse(*text);
      if (event["event"] == name) return event;
    }
  return nullptr;
}

}  // namespace

TEST_CASE("calls of a served page: marks, windows, what it holds, and what is refused") {
  const ServedStudy study;
  PageCalls calls(study.path, {});
  const PageAnswer page = calls.answer("GET", "", "");
  CHECK(page.status == (page_template().empty() ? 500 : 200));  // some builds carry no page
  const Json before = body_of(calls.answer("GET", "study", ""));
  CHECK(before["runs"].size() == 20);
  CHECK(before["model"].is_null());
  CHECK(before["served"] == true);
  CHECK(
      calls.answer("POST", "marks", R"({"name": "here", "point": {"a": 1.5, "hull": "composite"}})").status ==
      200);
  CHECK(calls.answer("POST", "windows", R"({"name": "fence", "span": {"a": [1, 3]}})").status == 200);
  const Json after = body_of(calls.answer("GET", "study", ""));
  CHECK(after["marks"][0]["name"] == "here");
  CHECK(after["marks"][0]["point"]["hull"] == "composite");
  CHECK(after["windows"][0]["span"]["a"] == Json{1.0, 3.0});
  CHECK(after["model_state"] == before["model_state"]);
  for (const auto& [call, body, says] :
       {std::tuple{"marks", R"({"name": "here", "point": {"a": 99}})", "a"},
        {"marks", R"({"name": "no name!", "point": {}})", "no name!"},
        {"marks", R"({"point": {}})", "\"name\" is missing"},
        {"marks", R"({"name": 3, "point": {}})", "is no text"},
        {"marks", R"({"name": "x", "point": {"a": [1]}})", "neither a number nor a name"},
        {"marks", R"([1])", "is missing"},
        {"marks/remove", R"({"name": "nobody"})", "nobody"},
        {"windows", R"({"name": "w", "span": {"a": [1]}})", "not two numbers"},
        {"windows", R"({"name": "w", "span": {"b": [1, 2]}})", "b"},
        {"confirm", R"({"point": {"b": 1}})", "b"},
        {"confirm", "", "no JSON"},
        {"run", "{}", "no such call"}}) {
    CAPTURE(call);
    CAPTURE(body);
    const PageAnswer answer = calls.answer("POST", call, body);
    CHECK(answer.status == 400);
    CHECK(body_of(answer)["error"]["what"].get<std::string>().find(says) != std::string::npos);
  }
  CHECK(calls.answer("POST", "marks/remove", R"({"name": "here"})").status == 200);
  CHECK(body_of(calls.answer("GET", "study", ""))["marks"].empty());
}

TEST_CASE("events of a served page: what others change, a confirmation from its start to its end") {
  const ServedStudy study;
  PageCalls calls(study.path, {});
  std::uint64_t after = 0;
  CHECK(Json::parse(*calls.event(after))["confirming"] == false);
  calls.answer("POST", "marks", R"({"name": "here", "point": {}})");
  CHECK(await(calls, after, "changed").is_object());
  CHECK(calls.answer("POST", "confirm", R"({"point": {"a": 2}})").status == 200);
  const Json end = await(calls, after, "confirmed");
  REQUIRE(end.is_object());
  CHECK(end["document"]["proposals"][0]["responses"]["y"]["computed"] == 5);
  CHECK_FALSE(calls.confirming());
  CHECK(body_of(calls.answer("GET", "study", ""))["runs"].size() == 21);
  // One after another, each begun the moment that the last has ended.
  for (int i = 0; i < 20; ++i) {
    const std::string asked = "{\"point\": {\"a\": " + std::to_string(0.1 * (i + 1)) + "}}";
    while (calls.answer("POST", "confirm", asked).status != 200) std::this_thread::yield();
    CHECK(await(calls, after, "confirmed").is_object());
  }
  // Two listeners and a reader at once, while settings are confirmed one after another.
  std::vector<std::thread> others;
  std::atomic<int> confirmed = 0, answered = 0;
  for (int i = 0; i < 2; ++i)
    others.emplace_back([&] {
      std::uint64_t seen = after;
      if (await(calls, seen, "confirmed").is_object()) ++confirmed;
    });
  others.emplace_back([&] {
    for (int i = 0; i < 5; ++i) answered += calls.answer("GET", "study", "").status == 200;
  });
  CHECK(calls.answer("POST", "confirm", R"({"point": {"a": 3}})").status == 200);
  for (std::thread& one : others) one.join();
  CHECK(confirmed == 2);
  CHECK(answered == 5);
}

TEST_CASE("a served page confirms one setting at a time, stops when told, and says a solver that fails") {
  const ServedStudy study;
  study.write("study.toml", program);
  PageCalls calls(study.path, {});
  std::uint64_t after = 0;
  calls.event(after);
  CHECK(calls.answer("POST", "confirm", R"({"point": {"a": 1}})").status == 200);
  const PageAnswer second = calls.answer("POST", "confirm", R"({"point": {"a": 2}})");
  CHECK(second.status == 400);
  CHECK(second.body.find("already") != std::string::npos);
  std::uint64_t fresh = 0;
  CHECK(Json::parse(*calls.event(fresh))["confirming"] == true);
  CHECK(await(calls, after, "progress")["total"] == 1);
  CHECK(calls.answer("POST", "confirm/stop", "{}").status == 200);
  const Json end = await(calls, after, "confirmed");  // what ran was finished
  REQUIRE(end.is_object());
  // A study file that is wrong is refused, and nothing is lost when it is right again.
  study.write("study.toml", "nonsense");
  CHECK(calls.answer("GET", "study", "").status == 400);
  CHECK(calls.answer("POST", "confirm", R"({"point": {}})").status == 400);
  study.write("study.toml", formula);
  CHECK(calls.answer("GET", "study", "").status == 200);
}
