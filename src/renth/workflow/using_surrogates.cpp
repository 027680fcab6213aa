#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/using_surrogates.hpp>

namespace renth {
namespace {

/// The scalar responses named, or all that are ready.
std::vector<int> scalars(const Predictor& predictor, const std::vector<std::string>& names) {
  std::vector<int> out;
  const Study& study = predictor.study();
  for (const Response& r : chosen_responses(study, names, true)) {
    const int index = study.response(r.name);
    if (r.axis < 0 && predictor.has(index))
      out.push_back(index);
    else if (!names.empty())
      throw Error(r.name + " is a curve", "--response " + r.name,
                  "name a number derived from it, such as max(" + r.name + ")");
  }
  return out;
}

void note_verdict(Session& session, const Response& response, const StoredSurrogate& stored, Verdict& verdict,
                  Notes& notes) {
  const RunData data = collect_data(session, response, {"fit", "confirm"});
  if (data.ids.size() < stored.runs.size()) return;
  RunData own;
  std::vector<Eigen::Index> rows;
  for (const std::int64_t id : stored.runs) {
    const auto found = std::find(data.ids.begin(), data.ids.end(), id);
    if (found == data.ids.end()) return;
    rows.push_back(found - data.ids.begin());
  }
  own.data = data.data.rows(rows);
  verdict = judge_surrogate(session, response, stored, own, 0.95).judgement.verdict;
  if (verdict >= Verdict::weak)
    add_note(
        notes, verdict == Verdict::unfit ? "unfit" : "weak",
        fmt::format(
            "the surrogate of {} is {}: take what follows from it with that in mind (renth trust says why)",
            response.name, name(verdict)));
}

}  // namespace

RankResult rank_responses(Session& session, const std::vector<std::string>& responses,
                          const RankOptions& options, std::optional<Seed> seed) {
  const Predictor predictor(session, responses);
  const Study& study = session.study;
  RankResult out;
  out.notes = predictor.notes();
  for (const Response& r : chosen_responses(study, responses, true)) {
    const int index = study.response(r.name);
    if (!predictor.has(index)) continue;
    RankResult::OfResponse of;
    of.response = r.name;
    if (const StoredSurrogate* stored = predictor.stored(index))
      note_verdict(session, r, *stored, of.verdict, out.notes);
    else
      of.verdict = Verdict::usable;
    std::vector<Evaluate> folds;
    for (int f = 0; f < predictor.folds(index); ++f)
      folds.push_back([&predictor, index, f](Points x) { return predictor.mean_of(index, x, f); });
    of.ranking = rank_parameters(
        study.space, [&predictor, index](Points x) { return predictor.mean_of(index, x); }, folds, options,
        seed.value_or(study.seed));
    if (of.ranking.method == "shapley")
      add_note(out.notes, "limits_cut_the_box",
               "the limits cut the box, so the parameters are not independent and Sobol' indices are not "
               "defined as usual: share is the Shapley effect, which adds up to 1");
    else
      add_note(out.notes, "shares",
               "share is the part of the variance that a parameter makes alone (first-order Sobol' index), "
               "total what would go if it were held; unexplained is what interactions of three or more make");
    out.responses.push_back(std::move(of));
  }
  return out;
}

ExtremesResult extremes_of_responses(Session& session, const std::vector<std::string>& responses,
                                     std::optional<Seed> seed) {
  const Predictor predictor(session, responses);
  ExtremesResult out;
  out.notes = predictor.notes();
  for (const int index : scalars(predictor, responses)) {
    const auto mean = [&](Points x) { return predictor.mean_of(index, x); };
    out.responses.push_back({session.study.responses[index].name,
                             extremes(session.study.space, mean, 0, {}, seed.value_or(session.study.seed))});
    for (const Maximum* m : {&out.responses.back().extremes.smallest, &out.responses.back().extremes.largest})
      if (!predictor.coverage().inside(m->point))
        add_note(out.notes, "outside",
                 fmt::format("an extreme of {} lies outside the region that the runs cover: confirm it "
                             "before believing it",
                             session.study.responses[index].name));
  }
  return out;
}

namespace {

struct Wanted {
  std::vector<Goal> goals;
  std::vector<std::string> keep;
  Settings hold;
};

Goal goal_for(const Study& study, const std::string& response, Goal::Aim aim, double target) {
  const int index = study.response(response);
  if (index < 0) chosen_responses(study, {response}, true);  // throws with the known names
  const Response& r = study.responses[index];
  if (r.axis >= 0) throw Error(r.name + " is a curve and no goal", "seek", "name a number derived from it");
  Goal g;
  g.response = index;
  g.aim = aim;
  g.target = target;
  g.weight = r.weight;
  if (r.accept.min) g.accept_min = *r.accept.min;
  if (r.accept.max) g.accept_max = *r.accept.max;
  return g;
}

Wanted wanted(const Study& study, const SeekRequest& request) {
  Wanted out;
  out.keep = request.keep;
  const Scenario* scenario = nullptr;
  for (const Scenario& s : study.scenarios)
    if (s.name == request.scenario) scenario = &s;
  if (!scenario && !request.scenario.empty())
    throw Error("no scenario is called " + request.scenario, "--scenario",
                "add [[scenario]] to study.toml, or name one that is there");
  if (scenario) {
    out.keep.insert(out.keep.end(), scenario->keep.begin(), scenario->keep.end());
    out.hold = scenario->hold;
  }
  for (const auto& [name, value] : request.hold) out.hold[name] = value;
  const bool typed = !request.maximise.empty() || !request.minimise.empty() || !request.target.empty();
  if (typed) {
    for (const std::string& r : request.maximise)
      out.goals.push_back(goal_for(study, r, Goal::Aim::maximise, 0));
    for (const std::string& r : request.minimise)
      out.goals.push_back(goal_for(study, r, Goal::Aim::minimise, 0));
    for (const auto& [r, value] : request.target)
      out.goals.push_back(goal_for(study, r, Goal::Aim::target, value));
  } else if (scenario && !scenario->goals.empty()) {
    for (const Scenario::Aim& a : scenario->goals)
      if (a.goal) out.goals.push_back(goal_for(study, a.response, *a.goal, a.target));
  } else {
    for (const Response& r : study.responses)
      if (r.goal) out.goals.push_back(goal_for(study, r.name, *r.goal, r.target));
  }
  for (std::size_t a = 0; a < out.goals.size(); ++a)
    for (std::size_t b = 0; b < a; ++b)
      if (out.goals[a].response == out.goals[b].response)
        throw Error(study.responses[out.goals[a].response].name + " has two goals", "seek", "give it one");
  for (const auto& [r, weight] : request.weight) {
    const auto found = std::find_if(out.goals.begin(), out.goals.end(), [&, k = r](const Goal& g) {
      return study.responses[g.response].name == k;
    });
    if (found == out.goals.end())
      throw Error(r + " has a weight and no goal", "--weight", "give it a goal too");
    if (!(weight > 0)) throw Error("a weight must be above 0", "--weight " + r, "leave the goal out instead");
    found->weight = weight;
  }
  return out;
}

/// A condition of the user as a constraint; the scale is the spread of its margin over the region.
Constraint constraint_of(const Study& study, const std::string& text, const Predictor& predictor) {
  const auto expression = std::make_shared<const Expression>(
      text,
      [&] {
        std::vector<Symbol> symbols = study.symbols();
        for (Symbol& s : symbols)
          if (s.kind == Symbol::Kind::curve) s.name.clear();
        return symbols;
      }(),
      "--keep");
  if (!expression->is_condition())
    throw Error("a number where a condition is needed", "--keep \"" + text + "\"", "compare it: load <= 350");
  const std::vector<double> fixed = study.fixed_numbers();
  const std::size_t d = static_cast<std::size_t>(study.space.size()), r = study.responses.size();
  const std::size_t first = d + fixed.size();
  for (std::size_t k = 0; k < r; ++k)
    if (expression->uses(first + k) && !predictor.has(static_cast<int>(k)))
      throw Error(study.responses[k].name + " has no surrogate", "--keep \"" + text + "\"", "renth fit");
  Constraint c;
  c.text = text;
  c.margin = [expression, fixed, d, r](const double* point, const double* responses) {
    std::vector<double> numbers(point, point + d);
    numbers.insert(numbers.end(), fixed.begin(), fixed.end());
    numbers.insert(numbers.end(), responses, responses + r);
    return expression->margin({numbers.data(), nullptr});
  };
  return c;
}

void scale(SeekProblem& problem, Seed seed) {
  if (problem.constraints.empty()) return;
  const Eigen::MatrixXd x = sample_region(problem.space, 256, Values::physical, seed, "constraint scales");
  const Eigen::MatrixXd y = problem.responses(x);
  for (Constraint& c : problem.constraints) {
    double low = INFINITY, high = -INFINITY;
    for (Eigen::Index i = 0; i < x.rows(); ++i) {
      const Eigen::VectorXd point = x.row(i), values = y.row(i);
      const double m = c.margin(point.data(), values.data());
      low = std::min(low, m);
      high = std::max(high, m);
    }
    if (std::isfinite(low) && high > low) c.scale = high - low;
  }
}

void add_accept_limits(const Study& study, const Predictor& predictor, SeekProblem& problem, Notes& notes) {
  for (std::size_t k = 0; k < study.responses.size(); ++k) {
    const Response& r = study.responses[k];
    if (!r.accept.min && !r.accept.max) continue;
    if (!predictor.has(static_cast<int>(k))) {
      add_note(notes, "accept_not_checked",
               r.name + " has accept limits and no surrogate: they are not obeyed");
      continue;
    }
    if (r.accept.min)
      problem.constraints.push_back(
          {fmt::format("{} >= {}", r.name, *r.accept.min),
           [k, v = *r.accept.min](const double*, const double* y) { return y[k] - v; }, 1});
    if (r.accept.max)
      problem.constraints.push_back(
          {fmt::format("{} <= {}", r.name, *r.accept.max),
           [k, v = *r.accept.max](const double*, const double* y) { return v - y[k]; }, 1});
  }
}

}  // namespace

SeekOutcome seek_settings(Session& session, const SeekRequest& request) {
  const Study& study = session.study;
  const Wanted want = wanted(study, request);
  if (want.goals.empty() && want.keep.empty())
    throw Error("there is nothing to aim at", "seek",
                "give a response a goal in study.toml, or type --maximise R, --minimise R, --target R=V or "
                "--keep \"R<=V\"");
  const Predictor predictor(session, {});
  SeekOutcome out;
  out.notes = predictor.notes();
  SeekProblem problem;
  problem.space = study.space;
  for (const Goal& g : want.goals)
    if (!predictor.has(g.response))
      throw Error(study.responses[g.response].name + " has no surrogate that matches the study", "seek",
                  "renth fit");
  problem.goals = want.goals;
  add_accept_limits(study, predictor, problem, out.notes);
  for (const std::string& text : want.keep)
    problem.constraints.push_back(constraint_of(study, text, predictor));
  problem.responses = [&predictor](Points x) { return predictor.means(x); };
  const Seed seed = request.seed.value_or(study.seed);
  scale(problem, seed);
  SeekOptions options;
  options.proposals = request.proposals;
  if (!want.hold.empty()) {
    const Eigen::VectorXd held = study.point(want.hold, true, "--hold");
    options.search.hold.resize(static_cast<std::size_t>(study.space.size()));
    for (Eigen::Index j = 0; j < study.space.size(); ++j)
      if (want.hold.count(study.space[j].name)) options.search.hold[j] = held[j];
  }
  out.result = seek(problem, options, seed);
  for (const Goal& g : problem.goals) out.goal_response.push_back(g.response);

  for (std::size_t k = 0; k < study.responses.size(); ++k) {
    Verdict verdict = Verdict::good;
    const Response& r = study.responses[k];
    const StoredSurrogate* stored = predictor.stored(static_cast<int>(k));
    const bool used = std::any_of(problem.goals.begin(), problem.goals.end(),
                                  [&](const Goal& g) { return g.response == static_cast<int>(k); }) ||
                      r.accept.min || r.accept.max;
    if (used && stored) note_verdict(session, r, *stored, verdict, out.notes);
  }
  if (!out.result.feasible)
    add_note(out.notes, "nothing_feasible",
             "no setting holds every limit by the surrogates' means; the proposals are those that come "
             "nearest, and say what they violate");
  Eigen::MatrixXd points(Eigen::Index(out.result.proposals.size()), study.space.size());
  std::vector<StoredProposal> stored;
  for (std::size_t i = 0; i < out.result.proposals.size(); ++i) {
    points.row(Eigen::Index(i)) = out.result.proposals[i].point;
    stored.push_back({static_cast<int>(i) + 1, study.settings(out.result.proposals[i].point)});
  }
  PredictResult predicted = predictor.predict(points, request.level);
  for (const Note& n : predicted.notes) add_note(out.notes, n.code, n.text);
  out.predicted = std::move(predicted.predictions);
  for (std::size_t i = 0; i < out.predicted.size(); ++i) {
    std::map<std::string, bool> within;
    for (std::size_t k = 0; k < study.responses.size(); ++k) {
      const Response& r = study.responses[k];
      const double y = out.result.proposals[i].responses[Eigen::Index(k)];
      within[r.name] = !(r.accept.min && y < *r.accept.min) && !(r.accept.max && y > *r.accept.max);
    }
    out.within.push_back(std::move(within));
  }
  nlohmann::json document = {{"feasible", out.result.feasible}, {"seed", seed}, {"proposals", stored.size()}};
  session.store.save_proposals(stored, document);
  return out;
}

namespace {

/// The confirm run that already exists at these settings, if any.
const Run* existing(const std::vector<Run>& runs, const Settings& settings) {
  for (const Run& run : runs)
    if (run.use == "confirm" && run.settings == settings && run.status != RunStatus::failed && !run.set_aside)
      return &run;
  return nullptr;
}

}  // namespace

ConfirmResult confirm_settings(Session& session, const ConfirmRequest& request) {
  const Study& study = session.study;
  ConfirmResult out;
  std::vector<std::pair<int, Settings>> chosen;
  for (std::size_t i = 0; i < request.at.size(); ++i)
    chosen.emplace_back(static_cast<int>(i) + 1, study.settings(study.point(request.at[i], true, "--at")));
  if (request.at.empty()) {
    const std::vector<StoredProposal> proposals = session.store.proposals();
    if (proposals.empty())
      throw Error("nothing was sought yet", "confirm", "renth seek, or name settings with --at");
    std::vector<int> ranks = request.proposals;
    if (ranks.empty()) ranks = {1};
    for (const int rank : ranks) {
      const auto found = std::find_if(proposals.begin(), proposals.end(),
                                      [&](const StoredProposal& p) { return p.rank == rank; });
      if (found == proposals.end())
        throw Error(fmt::format("there is no proposal {}", rank), "--proposal",
                    fmt::format("the last seek made {}", proposals.size()));
      chosen.emplace_back(rank, found->settings);
    }
  }
  for (const auto& [rank, settings] : chosen)
    if (const Eigen::VectorXd point = study.point(settings, true, "confirm"); !study.space.allows(point))
      add_note(out.notes, "limit",
               "the settings " + describe(study.space, point) + " break a limit of the study");

  // Predictions first: they must not know the runs that they are compared with.
  const Predictor predictor(session, {});
  Eigen::MatrixXd points(Eigen::Index(chosen.size()), study.space.size());
  for (std::size_t i = 0; i < chosen.size(); ++i)
    points.row(Eigen::Index(i)) = study.point(chosen[i].second, true, "confirm");
  const PredictResult predicted = predictor.predict(points, request.level);
  for (const Note& n : predicted.notes) add_note(out.notes, n.code, n.text);

  std::vector<Run> missing;
  {
    const std::vector<Run> runs = session.store.runs();
    for (const auto& [rank, settings] : chosen)
      if (!existing(runs, settings) &&
          std::none_of(missing.begin(), missing.end(),
                       [&, s = &settings](const Run& r) { return r.settings == *s; })) {
        Run run;
        run.origin = "added";
        run.settings = settings;
        missing.push_back(std::move(run));
      }
  }
  if (!missing.empty()) {
    const std::string name = next_batch_name(session.store, "confirm");
    session.store.add_batch({0, name, "confirm", "confirm", {}, study.seed, 0}, missing);
  }
  if (study.solver.kind != SolverSpec::Kind::manual) {
    std::vector<std::int64_t> ids;
    const std::vector<Run> runs = session.store.runs();
    for (const auto& [rank, settings] : chosen)
      if (const Run* run = existing(runs, settings); run && run->status != RunStatus::done)
        ids.push_back(run->id);
    if (!ids.empty()) {
      RunningOptions running = request.running;
      running.only = ids;
      const RunSummary summary = run_batches(session, running);
      for (const auto& [id, message] : summary.failures)
        add_note(out.notes, "solver_failed", fmt::format("run {} failed: {}", id, message));
    }
  }
  const std::vector<Run> runs = session.store.runs();
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    ConfirmResult::OfProposal of;
    of.rank = chosen[i].first;
    of.point = points.row(Eigen::Index(i)).transpose();
    const Run* run = existing(runs, chosen[i].second);
    if (!run)  // it failed: show the latest failure
      for (const Run& r : runs)
        if (r.use == "confirm" && r.settings == chosen[i].second) run = &r;
    if (run) {
      of.run = run->id;
      of.status = std::string(name(run->status));
      of.message = run->message;
    }
    for (const PredictedResponse& p : predicted.predictions[i].responses) {
      const Response& r = study.responses[study.response(p.response)];
      if (r.axis >= 0) continue;  // its numbers are compared through what is derived from it
      ConfirmResult::OfResponse c;
      c.response = p.response;
      c.predicted = p.mean[0];
      c.low = p.prediction_low[0];
      c.high = p.prediction_high[0];
      if (run && run->status == RunStatus::done) {
        const auto value = computed_value(study, *run, r);
        if (value) {
          c.computed = value;
          c.error_percent =
              *value != 0 ? std::optional(100 * (p.mean[0] - *value) / std::abs(*value)) : std::nullopt;
          if (std::isfinite(c.low))
            c.inside =
                *value >= c.low - 1e-9 * std::abs(*value) && *value <= c.high + 1e-9 * std::abs(*value);
          out.missed = out.missed || c.inside == false;
        }
      }
      of.responses.push_back(c);
    }
    out.proposals.push_back(std::move(of));
  }
  if (study.solver.kind == SolverSpec::Kind::manual && !missing.empty())
    add_note(out.notes, "to_be_measured",
             "this study has no solver: measure the planned confirm runs, import them, and confirm again to "
             "compare");
  return out;
}

}  // namespace renth
