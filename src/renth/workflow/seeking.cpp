#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/space/region.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/predicting.hpp>
#include <renth/workflow/seeking.hpp>

namespace renth {
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

const Scenario* scenario_named(const Study& study, const std::string& wanted) {
  if (wanted.empty()) return nullptr;
  std::vector<std::string> known;
  for (const Scenario& s : study.scenarios) {
    if (s.name == wanted) return &s;
    known.push_back(s.name);
  }
  if (known.empty())
    throw Error("unknown scenario " + wanted, "--scenario", "add [[scenario]] to study.toml");
  refuse_unknown("scenario", wanted, "--scenario", known);
}

/// The goals typed, else the scenario's, else the file's.
std::vector<Goal> goals_of(const Study& study, const SeekRequest& request, const Scenario* scenario) {
  std::vector<Goal> out;
  for (const std::string& r : request.maximise) out.push_back(goal_for(study, r, Goal::Aim::maximise, 0));
  for (const std::string& r : request.minimise) out.push_back(goal_for(study, r, Goal::Aim::minimise, 0));
  for (const auto& [r, value] : request.target) out.push_back(goal_for(study, r, Goal::Aim::target, value));
  if (out.empty() && scenario && !scenario->goals.empty()) {
    for (const Scenario::Aim& a : scenario->goals)
      if (a.goal) out.push_back(goal_for(study, a.response, *a.goal, a.target));
  } else if (out.empty()) {
    for (const Response& r : study.responses)
      if (r.goal) out.push_back(goal_for(study, r.name, *r.goal, r.target));
  }
  for (std::size_t a = 0; a < out.size(); ++a)
    for (std::size_t b = 0; b < a; ++b)
      if (out[a].response == out[b].response)
        throw Error(study.responses[std::size_t(out[a].response)].name + " has two goals", "seek",
                    "give it one");
  return out;
}

Wanted wanted(const Study& study, const SeekRequest& request) {
  Wanted out;
  out.keep = request.keep;
  const Scenario* scenario = scenario_named(study, request.scenario);
  if (scenario) {
    out.keep.insert(out.keep.end(), scenario->keep.begin(), scenario->keep.end());
    out.hold = scenario->hold;
  }
  for (const auto& [name, value] : request.hold) out.hold[name] = value;
  out.goals = goals_of(study, request, scenario);
  for (const auto& [r, weight] : request.weight) {
    const auto found = std::find_if(out.goals.begin(), out.goals.end(), [&, k = r](const Goal& g) {
      return study.responses[std::size_t(g.response)].name == k;
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
  for (std::size_t k = 0; k < study.responses.size(); ++k)
    if (condition.uses(study.first_response() + k) && !predictor.has(static_cast<int>(k)))
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
    if (!r.accept.any()) continue;
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

/// Keeps proposals out of where the solver is likely to fail, as far as that could be learned.
struct FailureRisk : LearnedFeasibility {
  Eigen::VectorXd at(Points x) const {
    return 1 - predict_in_blocks(*chance, x, {}, parallel_for).mean.col(0).array();
  }
  /// \param column  of the risk among the responses
  void add_to(SeekProblem& problem, std::size_t column) const {
    const double most = most_failure_risk(share);
    problem.constraints.push_back(
        {fmt::format("the chance that the solver fails <= {:.2g}", most),
         [column, most](const double*, const double* y) { return most - y[column]; }, 1,
         // It hardly tells which parameters failing depends on.
         std::numeric_limits<double>::infinity()});
    problem.responses = [this, without = problem.responses](Points x) {
      Eigen::MatrixXd y = without(x);
      y.conservativeResize(Eigen::NoChange, y.cols() + 1);
      y.col(y.cols() - 1) = at(x);
      return y;
    };
  }
  void tell(SeekOutcome& out, bool allow_failing) const {
    for (const Proposal& p : out.result.proposals)
      out.failure_risk.push_back(chance ? at(p.point.transpose())[0] : undefined);
    if (!chance) return;
    const double most = most_failure_risk(share);
    if (!allow_failing) {
      add_note(out.notes, "failure_risk",
               fmt::format(
                   "{:.2g} % of the runs failed: settings where the solver fails with a chance above {:.2g} "
                   "are left out; --allow-failing takes them in, renth runs --failures shows where they lie",
                   100 * share, most));
      return;
    }
    for (std::size_t i = 0; i < out.failure_risk.size(); ++i)
      if (out.failure_risk[i] > most)
        add_note(out.notes, "likely_to_fail",
                 fmt::format(
                     "proposal {}: the solver fails there with a chance of {:.2g}, by the {:.2g} % of runs "
                     "that failed",
                     i + 1, out.failure_risk[i], 100 * share));
  }
};

std::vector<std::optional<double>> held(const Study& study, const Settings& hold) {
  std::vector<std::optional<double>> out;
  if (hold.empty()) return out;
  const Eigen::VectorXd point = study.point(hold, "--hold");
  for (Eigen::Index j = 0; j < study.space.size(); ++j)
    out.push_back(hold.count(study.space[j].name) ? std::optional(point[j]) : std::nullopt);
  return out;
}

/// What is sought, in the core's terms. \param conditions  must outlive it.
SeekProblem problem_of(const Study& study, const Wanted& want, const FittedStudy& fitted,
                       std::vector<Expression>& conditions, Notes& notes) {
  const Predictor& predictor = fitted.predictor();
  SeekProblem problem;
  problem.space = study.space;
  problem.goals = want.goals;
  for (const Goal& g : want.goals)
    if (!predictor.has(g.response))
      throw Error(study.responses[std::size_t(g.response)].name + " has no surrogate that matches the study",
                  "seek", "renth fit");
  add_accept_limits(study, predictor, problem, notes);
  for (const std::string& text : want.keep) {
    const std::size_t column = study.responses.size() + conditions.size();
    conditions.push_back(condition_of(study, text, predictor));
    problem.constraints.push_back({text, [column](const double*, const double* y) { return y[column]; }, 1});
  }
  problem.responses = [&predictor, &conditions](Points x) { return predictor.means(x, conditions); };
  return problem;
}

/// What the surrogates say of the proposals.
void add_predictions(const Study& study, const FittedStudy& fitted, double level, SeekOutcome& out) {
  std::vector<Eigen::VectorXd> points;
  for (const Proposal& p : out.result.proposals) points.push_back(p.point);
  PredictResult predicted = predict_points(fitted, stacked(points, study.space.size()), level);
  for (const Note& n : predicted.notes)
    if (n.code != "weak" && n.code != "unfit") add_note(out.notes, n.code, n.text);
  out.predicted = std::move(predicted.predictions);
  for (const Proposal& p : out.result.proposals) {
    std::map<std::string, bool> within;
    for (std::size_t k = 0; k < study.responses.size(); ++k)
      within[study.responses[k].name] = study.responses[k].accept.holds(p.responses[Eigen::Index(k)]);
    out.within.push_back(std::move(within));
  }
}

void note_what_it_rests_on(const Study& study, const FittedStudy& fitted, SeekOutcome& out) {
  for (std::size_t k = 0; k < study.responses.size(); ++k) {
    const bool goal = std::count(out.goal_response.begin(), out.goal_response.end(), static_cast<int>(k)) > 0;
    if ((goal || study.responses[k].accept.any()) && fitted.has(static_cast<int>(k)))
      fitted.note_verdicts(static_cast<int>(k), out.notes);
  }
  if (!out.result.feasible)
    add_note(out.notes, "nothing_feasible",
             "no setting holds every limit by the surrogates' means; the proposals are those that come "
             "nearest, and say what they violate");
}

void store_proposals(Session& session, const SeekResult& result, Seed seed) {
  std::vector<StoredProposal> stored;
  for (const Proposal& p : result.proposals)
    stored.push_back({static_cast<int>(stored.size()) + 1, session.study.settings(p.point)});
  session.store.save_proposals(stored,
                               {{"feasible", result.feasible}, {"seed", seed}, {"proposals", stored.size()}});
}

}  // namespace

double most_failure_risk(double share) {
  return std::clamp(1.5 * share, 0.25, 0.9);
}

SeekOutcome seek_settings(Session& session, const SeekRequest& request) {
  const Study& study = session.study;
  const Wanted want = wanted(study, request);
  if (want.goals.empty() && want.keep.empty())
    throw Error("there is nothing to aim at", "seek",
                "give a response a goal in study.toml, or type --maximise R, --minimise R, --target R=V or "
                "--keep \"R<=V\"");
  const FittedStudy fitted(session, {});
  SeekOutcome out;
  out.level = request.level;
  out.notes = fitted.notes();
  std::vector<Expression> conditions;
  SeekProblem problem = problem_of(study, want, fitted, conditions, out.notes);
  const FailureRisk risk{learned_feasibility(session)};
  if (risk.chance && !request.allow_failing) risk.add_to(problem, study.responses.size() + conditions.size());
  const Seed seed = request.seed.value_or(study.seed);
  scale(problem, seed);
  SeekOptions options;
  options.proposals = request.proposals;
  options.search.hold = held(study, want.hold);
  out.result = seek(problem, options, seed);
  for (const Goal& g : problem.goals) out.goal_response.push_back(g.response);
  note_what_it_rests_on(study, fitted, out);
  risk.tell(out, request.allow_failing);
  add_predictions(study, fitted, request.level, out);
  if (session.store.read_only())
    add_note(out.notes, "not_kept",
             "the study may only be read here: the proposals are not kept, and cannot be confirmed");
  else if (request.keep_proposals)
    store_proposals(session, out.result, seed);
  return out;
}

}  // namespace renth
