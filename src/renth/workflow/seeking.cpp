#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/workflow/ranking.hpp>
#include <renth/workflow/seeking.hpp>

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

}  // namespace

ExtremesResult extremes_of_responses(Session& session, const std::vector<std::string>& responses,
                                     std::optional<Seed> seed) {
  const Predictor predictor(session, responses);
  ExtremesResult out;
  out.notes = predictor.notes();
  for (const int index : scalars(predictor, responses)) {
    const auto mean = [&](Points x) { return predictor.mean_of(index, x); };
    predictor.note_verdicts(index, out.notes);
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

/// A condition of the user, which may use whatever has a surrogate.
Expression condition_of(const Study& study, const std::string& text, const Predictor& predictor) {
  Expression condition(text, study.symbols(), "--keep");
  if (!condition.is_condition())
    throw Error("a number where a condition is needed", "--keep \"" + text + "\"", "compare it: load <= 350");
  const std::size_t count = study.responses.size(), first = study.symbols().size() - count;
  for (std::size_t k = 0; k < count; ++k)
    if (condition.uses(first + k) && !predictor.has(static_cast<int>(k)))
      throw Error(study.responses[k].name + " has no surrogate", "--keep \"" + text + "\"", "renth fit");
  return condition;
}

/// The scale of a constraint is the spread of its margin over the region.
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
  std::vector<Expression> conditions;
  for (const std::string& text : want.keep) {
    const std::size_t column = study.responses.size() + conditions.size();
    conditions.push_back(condition_of(study, text, predictor));
    problem.constraints.push_back({text, [column](const double*, const double* y) { return y[column]; }, 1});
  }
  problem.responses = [&](Points x) { return predictor.means(x, conditions); };
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
    const Response& r = study.responses[k];
    const bool used = std::any_of(problem.goals.begin(), problem.goals.end(),
                                  [&](const Goal& g) { return g.response == static_cast<int>(k); }) ||
                      r.accept.min || r.accept.max;
    if (used && predictor.has(static_cast<int>(k))) predictor.note_verdicts(static_cast<int>(k), out.notes);
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
  for (const Note& n : predicted.notes)
    if (n.code != "weak" && n.code != "unfit") add_note(out.notes, n.code, n.text);
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
  if (request.keep_proposals) session.store.save_proposals(stored, document);
  return out;
}

}  // namespace renth
