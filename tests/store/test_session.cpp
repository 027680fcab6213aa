#include <doctest/doctest.h>

#include <filesystem>
#include <fstream>
#include <renth/plan/sobol.hpp>
#include <renth/workflow/checking.hpp>
#include <renth/workflow/extremes.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/listing.hpp>
#include <renth/workflow/planning.hpp>
#include <renth/workflow/predicting.hpp>
#include <renth/workflow/running.hpp>
#include <renth/workflow/seeking.hpp>
#include <renth/workflow/trusting.hpp>
#include <support_files.hpp>
#include <support_store.hpp>

using namespace renth;
using renth::test::change_store;

namespace {

/// A formula study with a curve and responses derived from it.
const std::string curve_study = R"toml([study]
name = "curves"
seed = 3
[[parameter]]
name = "a"
span = [1, 3]
[[parameter]]
name = "b"
span = [0, 2]
[[parameter]]
name = "k"
fixed = 2.0
[[axis]]
name = "t"
points = [1, 2, 4]
[[response]]
name = "c"
along = "t"
[[response]]
name = "y"
[[response]]
name = "top"
derive = "max(c) + k"
[[response]]
name = "both"
derive = "top * 10 + y"
[solver]
kind = "formula"
[solver.formula]
c = "a * t + b * k"
y = "a * b"
)toml";

/// A study's folder.
struct StudyFolder : renth::test::Scratch {
  explicit StudyFolder(const std::string& study) { write(study); }
  void write(const std::string& study) const { Scratch::write("study.toml", study); }
};

std::string replaced(std::string text, const std::string& what, const std::string& with) {
  return text.replace(text.find(what), what.size(), with);
}

/// Planned and run.
void fill(const StudyFolder& f, int runs) {
  Session session(f.path);
  PlanningOptions plan;
  plan.method = "sobol";
  plan.request.runs = runs;
  plan_batch(session, plan);
  const RunSummary summary = run_batches(session, {});
  REQUIRE(summary.done == runs);
}

bool has(const Notes& notes, const std::string& code) {
  for (const Note& n : notes)
    if (n.code == code) return true;
  return false;
}

}  // namespace

TEST_CASE("curves, fixed parameters and responses derived from them come out as the formulas say") {
  const StudyFolder f(curve_study);
  fill(f, 25);
  Session session(f.path);
  fit_responses(session, {.terms = "products"});
  const FittedStudy fitted(session, {});
  Eigen::MatrixXd at(1, 2);
  at << 2, 0.5;
  const PredictResult p = predict_points(fitted, at, 0.95);
  const auto of = [&](const char* name) { return *p.predictions.of(session.study.response(name)); };
  REQUIRE(of("c").mean.cols() == 3);
  CHECK(of("c").mean(0, 2) == doctest::Approx(9));
  CHECK(of("y").mean(0, 0) == doctest::Approx(1));
  CHECK(of("top").mean(0, 0) == doctest::Approx(11));
  CHECK(of("both").mean(0, 0) == doctest::Approx(111));
  CHECK(p.predictions.inside[0]);
  const Eigen::MatrixXd means = fitted.predictor().means(at);
  CHECK(std::isnan(means(0, 0)));  // a curve is no number
  CHECK(means(0, 3) == doctest::Approx(111));
}

TEST_CASE("the error of a derived response is that of what it is made of") {
  // y = noise round a line, twice it is derived: its standard deviation is twice as large.
  std::string text = replaced(curve_study, "top * 10 + y", "2 * y");
  text = replaced(text, "kind = \"formula\"", "kind = \"formula\"\nrepeatable = false");
  text = replaced(text, "y = \"a * b\"", "y = \"a + 0.2 * sin(1000 * a + 777 * b)\"");
  const StudyFolder f(text);
  fill(f, 40);
  Session session(f.path);
  fit_responses(session, {.terms = "linear"});
  Eigen::MatrixXd at(1, 2);
  at << 2, 1;
  const PredictResult predicted = predict_points(FittedStudy(session, {}), at, 0.95);
  const ResponsePrediction& y = *predicted.predictions.of(session.study.response("y"));
  const ResponsePrediction& both = *predicted.predictions.of(session.study.response("both"));
  CHECK(both.sd(0, 0) == doctest::Approx(2 * y.sd(0, 0)).epsilon(1e-9));
  CHECK(both.prediction_high(0, 0) - both.prediction_low(0, 0) ==
        doctest::Approx(2 * (y.prediction_high(0, 0) - y.prediction_low(0, 0))).epsilon(1e-9));
  CHECK(y.calibrated_low.cols() == 1);
  CHECK(both.calibrated_low.cols() == 0);
}

TEST_CASE("a new axis point is missing in old runs, an old one keeps its values") {
  const StudyFolder f(curve_study);
  fill(f, 20);
  f.write(replaced(curve_study, "points = [1, 2, 4]", "points = [1, 3, 4]"));
  Session session(f.path);
  const RunData data = collect_data(session, session.study.responses[0], {"fit"});
  CHECK(data.data.size() == 20);
  for (Eigen::Index i = 0; i < 20; ++i) {
    const double a = data.data.inputs(i, 0), b = data.data.inputs(i, 1);
    CHECK(data.data.outputs(i, 0) == doctest::Approx(a + 2 * b));
    CHECK(std::isnan(data.data.outputs(i, 1)));
    CHECK(data.data.outputs(i, 2) == doctest::Approx(4 * a + 2 * b));
  }
  CHECK(has(check_study(session).notes, "missing_axis_point"));
}

TEST_CASE("runs made with another value of what is fixed now are not fitted, and that is said") {
  const StudyFolder f(curve_study);
  fill(f, 20);
  f.write(replaced(curve_study, "fixed = 2.0", "fixed = 2.5"));
  Session session(f.path);
  const RunData data = collect_data(session, session.study.responses[1], {"fit"});
  CHECK(data.data.size() == 0);
  CHECK(has(data.notes, "other_fixed_value"));
  CHECK_THROWS_AS(fit_responses(session, {}), Error);
}

TEST_CASE("a surrogate knows when its runs or its study have changed") {
  const StudyFolder f(curve_study);
  fill(f, 20);
  {
    Session session(f.path);
    fit_responses(session, {.terms = "linear"});
    Notes notes;
    CHECK(current_surrogate(session, session.study.responses[1], notes));
    CHECK(notes.empty());
    set_runs_aside(session, {1}, "", "odd");
    CHECK(current_surrogate(session, session.study.responses[1], notes));
    CHECK(has(notes, "out_of_date"));
    // It is still the fit of those runs, and can be judged; with another value it is a fit of something else.
    CHECK(trust_responses(session, {.responses = {"y"}}).responses[0].model.runs == 20);
    set_runs_aside(session, {1}, "", std::nullopt);
    CHECK_NOTHROW(trust_responses(session, {.responses = {"y"}}));
    session.store.set_outputs(1, {{"y", {{99}, {}}}});
    CHECK_THROWS_WITH_AS(trust_responses(session, {.responses = {"y"}}),
                         doctest::Contains("renth fit --response y"), Error);
  }
  f.write(replaced(curve_study, "span = [1, 3]", "span = [1, 4]"));
  Session session(f.path);
  Notes notes;
  CHECK_FALSE(current_surrogate(session, session.study.responses[1], notes));
  CHECK(has(notes, "out_of_date"));
}

TEST_CASE("check runs are never fitted, confirm runs only when asked") {
  const StudyFolder f(curve_study);
  fill(f, 20);
  Session session(f.path);
  for (const char* use : {"check", "confirm"}) {
    PlanningOptions plan;
    plan.method = "random";
    plan.use = use;
    plan.request.runs = 6;
    CHECK(plan_batch(session, plan).batch.name == std::string(use) + "-1");
  }
  run_batches(session, {});
  CHECK(fit_responses(session, {.responses = {"y"}}).models[0].runs == 20);
  CHECK(fit_responses(session, {.responses = {"y"}, .take_confirm = true}).models[0].runs == 26);
  const TrustResult trust = trust_responses(session, {.responses = {"y"}});
  CHECK(trust.responses[0].model.quality.check->runs == 6);
  CHECK(trust.responses[0].check.size() == 6);
  Notes notes;
  current_surrogate(session, session.study.responses[1], notes);
  CHECK(notes.empty());  // what was taken in then counts now
}

TEST_CASE("two batches of one study differ, and a seed repeats one") {
  const StudyFolder f(curve_study);
  Session session(f.path);
  PlanningOptions plan;
  plan.method = "random";
  plan.request.runs = 10;
  plan.dry_run = true;
  plan.batch = "one";
  const Eigen::MatrixXd one = plan_batch(session, plan).plan.points;
  CHECK(plan_batch(session, plan).plan.points == one);
  plan.batch = "two";
  CHECK(plan_batch(session, plan).plan.points != one);
  CHECK(session.store.runs().empty());  // dry runs leave nothing
}

TEST_CASE("a recipe in the store is enough to make its plan again and to go on with it") {
  const StudyFolder f(curve_study);
  fill(f, 12);
  Session session(f.path);
  const Batch batch = *session.store.batch("fit-1");
  const Plan again =
      sobol(session.study.space,
            {std::stoi(batch.options.at("runs")), std::stoull(batch.options.at("first"))}, batch.seed);
  const std::vector<Run> runs = session.store.runs();
  for (Eigen::Index i = 0; i < 12; ++i)
    CHECK(std::get<double>(runs[i].settings.at("a")) == again.points(i, 0));
  CHECK(batch.next == again.next);
  CHECK(sobol(session.study.space, {5, batch.next}, batch.seed).points.row(0) ==
        sobol(session.study.space, {13}, batch.seed).points.row(12));
}

TEST_CASE("goals typed replace those of the file, weights and accept limits stay") {
  const StudyFolder f(replaced(
      replaced(curve_study, "name = \"y\"\n", "name = \"y\"\ngoal = \"maximise\"\naccept = { max = 3.0 }\n"),
      "[[response]]\nname = \"top\"\n", "[[response]]\nname = \"top\"\ngoal = \"minimise\"\n"));
  fill(f, 30);
  Session session(f.path);
  fit_responses(session, {.terms = "products"});
  const SeekOutcome file = seek_settings(session, {}).of.front();
  CHECK(file.result.desirabilities.size() == 2);
  CHECK(file.result.proposals[0].responses[1] <= 3 + 1e-9);
  SeekRequest request;
  request.maximise = {"y"};
  const SeekOutcome typed = seek_settings(session, request).of.front();
  CHECK(typed.result.desirabilities.size() == 1);
  CHECK(typed.result.proposals[0].responses[1] == doctest::Approx(3).epsilon(1e-4));  // accept is hard
  request.weight = {{"top", 2.0}};
  CHECK_THROWS_WITH_AS(seek_settings(session, request), doctest::Contains("no goal"), Error);
  request.weight = {};
  request.minimise = {"y"};
  CHECK_THROWS_WITH_AS(seek_settings(session, request), doctest::Contains("two goals"), Error);
  SeekRequest keep;
  keep.maximise = {"y"};
  keep.keep = {"a <= 1.5 && top < 9"};
  const SeekOutcome kept = seek_settings(session, keep).of.front();
  CHECK(kept.result.proposals[0].point[0] <= 1.5);
  CHECK(kept.result.proposals[0].responses[2] < 9);
  keep.keep = {"c > 3"};
  CHECK_THROWS_AS(seek_settings(session, keep), Error);  // a curve is no number
}

TEST_CASE("stored proposals are those of the last seek") {
  const StudyFolder f(curve_study);
  fill(f, 20);
  Session session(f.path);
  fit_responses(session, {.terms = "products"});
  SeekRequest request;
  request.maximise = {"y"};
  request.proposals = 2;
  seek_settings(session, request);
  request.maximise = {};
  request.minimise = {"y"};
  const SeekOutcome last = seek_settings(session, request).of.front();
  const std::vector<StoredProposal> stored = session.store.proposals();
  REQUIRE(stored.size() == last.result.proposals.size());
  CHECK(std::get<double>(stored[0].settings.at("a")) == last.result.proposals[0].point[0]);
}

namespace {

/// The data as they come from reading the runs one by one.
std::pair<Eigen::MatrixXd, Eigen::MatrixXd> by_run(Session& session, const Response& r) {
  std::vector<Eigen::VectorXd> inputs, outputs;
  for (const Run& run : session.store.runs()) {
    const auto found = run.responses.find(r.name);
    if (run.status != RunStatus::done || run.use != "fit" || run.set_aside || found == run.responses.end() ||
        run.response_set_aside.count(r.name))
      continue;
    const std::vector<double> y = on_axis(session.study, r, found->second);
    inputs.push_back(point_of(session.study, run));
    outputs.emplace_back(Eigen::Map<const Eigen::VectorXd>(y.data(), Eigen::Index(y.size())));
  }
  return {stacked(inputs, session.study.space.size()), stacked(outputs, session.study.outputs(r))};
}

}  // namespace

TEST_CASE("runs read by column are those read one by one, and are read again when something changes") {
  const StudyFolder f(curve_study);
  fill(f, 30);
  Session session(f.path);
  const auto same = [&] {
    for (const Response& r : session.study.responses) {
      if (r.derive) continue;
      const RunData data = collect_data(session, r, {"fit"});
      const auto [inputs, outputs] = by_run(session, r);
      CHECK(data.data.inputs == inputs);
      CHECK(data.data.outputs == outputs);
    }
  };
  same();
  const RunTable* first = &session.runs();
  const std::int64_t before = session.store.revision();
  same();
  CHECK(first == &session.runs());
  CHECK(session.store.revision() == before);  // reading changes nothing
  // What a run that has not ended gives is no change yet.
  const std::int64_t planned =
      session.store.add_batch({0, "later", "fit", "sobol", {}, 1, 0}, {session.store.runs().front()}).front();
  session.store.set_outputs(planned, {{"y", {{1.0}, {}}}});
  CHECK(session.store.revision() == before);
  session.store.set_aside(3, "", "doubtful");
  session.store.set_aside(5, "y", "a slip");
  session.store.set_outputs(7, {{"y", {{-4.0}, {}}}});
  CHECK(session.store.revision() > before);
  same();
  // Another process is seen too.
  {
    Session other(f.path);
    other.store.set_outputs(9, {{"y", {{77.0}, {}}}});
  }
  same();
  CHECK(collect_data(session, session.study.responses[1], {"fit"}).data.size() == 28);
}

TEST_CASE("settings that are written another way are read all the same") {
  const StudyFolder f(curve_study);
  fill(f, 3);
  change_store(
      f.path,
      "UPDATE run SET settings = '{ \"b\": 1, \"a\" : 2.5e0 , \"k\":2, \"n\\u006f\": \"x\\\"y\" }' WHERE "
      "id = 2; UPDATE output SET value = '[ 12 ]' WHERE run = 2 AND response = 'y'");
  Session session(f.path);
  const RunData data = collect_data(session, session.study.responses[1], {"fit"});
  CHECK(data.data.inputs.row(1) == Eigen::RowVector2d(2.5, 1));
  CHECK(data.data.outputs(1, 0) == 12);
}

TEST_CASE("a verdict is worked out once, and again when runs, study or surrogate change") {
  const StudyFolder f(curve_study);
  fill(f, 25);
  const auto kept = [&] {
    Session session(f.path);
    const std::int64_t id = session.store.fitted_id("y");
    return session.store.worked_out("judgement", id, session.state());
  };
  {
    Session session(f.path);
    fit_responses(session, {.terms = "products"});
  }
  REQUIRE(kept());  // fitting judges anyway
  {
    Session session(f.path);
    session.store.set_aside(4, "", "a slip");
  }
  CHECK_FALSE(kept());
  {
    Session session(f.path);
    const FittedStudy fitted(session, {});
    CHECK(has(fitted.notes(), "out_of_date"));
  }
  CHECK(kept());
  f.write(curve_study + "# a word more\n");
  CHECK_FALSE(kept());
}

TEST_CASE("a surrogate stored without its errors gets its calibrated bounds from the runs") {
  const StudyFolder f(curve_study);
  fill(f, 25);
  Eigen::MatrixXd at(1, 2);
  at << 2, 1;
  const auto bounds = [&] {
    Session session(f.path);
    const int y = session.study.response("y");
    const PredictResult p = predict_points(FittedStudy(session, {}), at, 0.9);
    return std::pair(p.predictions.of(y)->calibrated_low(0, 0), p.predictions.of(y)->calibrated_high(0, 0));
  };
  {
    Session session(f.path);
    fit_responses(session, {.terms = "linear"});
  }
  const auto with = bounds();
  change_store(f.path, "UPDATE surrogate SET errors = NULL");
  CHECK(bounds() == with);
}

TEST_CASE("verdicts go by 95 %, whatever level intervals are asked at") {
  std::string text = replaced(curve_study, "kind = \"formula\"", "kind = \"formula\"\nrepeatable = false");
  text = replaced(text, "y = \"a * b\"", "y = \"a + b + 0.1 * sin(1000 * a + 777 * b)\"");
  const StudyFolder f(text);
  fill(f, 40);
  Session session(f.path);
  PlanningOptions check;
  check.method = "sobol";
  check.use = "check";
  check.request.runs = 30;
  plan_batch(session, check);
  run_batches(session, {});
  fit_responses(session, {.terms = "linear", .responses = {"y"}});
  TrustOptions options;
  options.responses = {"y"};
  const TrustResult wide = trust_responses(session, options);
  options.level = 0.5;
  const TrustResult narrow = trust_responses(session, options);
  const auto& q = narrow.responses[0].model.quality;
  CHECK(q.check->inside < 0.8);  // half of them, as asked
  CHECK(q.check->inside_95 > 0.8);
  CHECK(narrow.responses[0].model.judgement.verdict == wide.responses[0].model.judgement.verdict);
  CHECK(narrow.responses[0].model.judgement.reasons == wide.responses[0].model.judgement.reasons);
}

TEST_CASE("a store of an earlier version is brought up to date and predicts what it did") {
  const renth::test::Scratch folder;
  for (const char* file : {"study.toml", "study.db"})
    std::filesystem::copy_file(std::filesystem::path(RENTH_TESTS) / "studies" / "schema-2" / file,
                               folder.path / file);
  Session session(folder.path);
  const FittedStudy fitted(session, {});
  CHECK(fitted.notes().empty());  // its runs are still those that were fitted
  const PredictResult p = predict_points(fitted, Eigen::RowVector2d(2.5, 1), 0.8);
  const ResponsePrediction& heave = p.predictions.responses.at(0);
  // What the version that made it printed.
  CHECK(heave.mean(0, 0) == doctest::Approx(11.242123262845867).epsilon(1e-14));
  CHECK(heave.sd(0, 0) == doctest::Approx(0.035007443935841834).epsilon(1e-12));
  CHECK(heave.prediction_low(0, 0) == doctest::Approx(11.134540643918685).epsilon(1e-14));
  CHECK(heave.calibrated_low(0, 0) == doctest::Approx(11.080092239954086).epsilon(1e-14));
  CHECK(heave.calibrated_high(0, 0) == doctest::Approx(11.39254716555875).epsilon(1e-14));
  CHECK(fitted.model().parts.at(0)->verdict == "good");
  CHECK(session.store.runs().size() == 14);
  CHECK(session.store.logged().empty());
}

TEST_CASE("the parts of a model are made once as long as nothing changes") {
  const StudyFolder f(curve_study);
  fill(f, 25);
  Session session(f.path);
  fit_responses(session, {.terms = "linear"});
  const auto part = [&] { return FittedStudy(session, {"y"}).model().parts.at(1); };
  const auto first = part();
  CHECK(part() == first);
  session.store.set_aside(3, "", "a slip");
  CHECK(part() != first);
}
