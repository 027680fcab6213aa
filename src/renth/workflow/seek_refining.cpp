#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/undefined.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/planning.hpp>
#include <renth/workflow/seek_refining.hpp>

namespace renth {
namespace {

constexpr const char* round_option = "seek round";
constexpr const char* scenario_option = "seek scenario";
const std::string predicted_option = "predicted ";

/// Plans, runs and fits what is missing before anything can be sought.
class Ground {
 public:
  Ground(Session& session, const SeekRefineOptions& options) : session_(session), options_(options) {}

  /// \returns  false if the runs have to be measured first, or running was stopped.
  bool lay(Notes& notes) {
    if (session_.store.heads().empty()) {
      const PlanResult plan = plan_batch(session_, {});
      options_.report(fmt::format("no runs yet: planned {} ({})", plan.plan.size(), plan.batch.method));
    }
    if (is_manual()) {
      if (anything_planned("fit")) {
        add_note(notes, "to_be_measured",
                 "the planned runs wait to be measured: import them, fit, and seek again");
        return false;
      }
    } else if (!run_planned(notes)) {
      return false;
    }
    fit(false, notes);
    return true;
  }

  /// Fits each response as it was asked to be, else by what predicts best, with the confirming runs.
  /// \param all  else only those that have no surrogate, or one that no longer matches its runs.
  void fit(bool all, Notes& notes) {
    std::string verdicts;
    for (const Response& r : session_.study.responses) {
      if (r.derive) continue;
      Notes changed;
      const auto stored = current_surrogate(session_, r, changed);
      if (stored && changed.empty() && !all) continue;
      FittingOptions fitting = stored ? options_of(*stored) : FittingOptions();
      fitting.take_confirm = true;
      fitting.responses = {r.name};
      try {
        const FitResult fitted = fit_responses(session_, fitting);
        for (const ModelResult& m : fitted.models)
          verdicts +=
              fmt::format("{}{} {}", verdicts.empty() ? "" : ", ", m.response, name(m.judgement.verdict));
      } catch (const Error& error) {
        add_note(notes, "not_fitted", fmt::format("{} was not fitted: {}", r.name, error.problem()));
      }
    }
    if (!verdicts.empty()) options_.report("fitted: " + verdicts);
  }

  bool is_manual() const { return session_.study.solver.kind == SolverSpec::Kind::manual; }

 private:
  bool anything_planned(const std::string& use) {
    const std::vector<Run> runs = session_.store.runs();
    return std::any_of(runs.begin(), runs.end(), [&](const Run& r) {
      return r.use == use && (r.status == RunStatus::planned || r.status == RunStatus::running);
    });
  }

  bool run_planned(Notes& notes) {
    if (!anything_planned("fit") && !anything_planned("confirm")) return true;
    const RunSummary summary = run_batches(session_, options_.running);
    options_.report(fmt::format("ran {}, {} failed", summary.done + summary.failed, summary.failed));
    if (summary.stopped) add_note(notes, "stopped", "stopped: the same command goes on where it was");
    return !summary.stopped;
  }

  Session& session_;
  const SeekRefineOptions& options_;
};

std::string number_text(double v) {
  char text[32];
  const auto [end, error] = std::to_chars(text, text + sizeof text, v);
  return {text, end};
}

/// The number of seek --refine's rounds that a batch says it is; 0: none.
int round_of(const Batch& batch, const std::string& scenario) {
  const auto round = batch.options.find(round_option), of = batch.options.find(scenario_option);
  if (round == batch.options.end() || (of == batch.options.end() ? "" : of->second) != scenario) return 0;
  return std::atoi(round->second.c_str());
}

/// The settings of a done run that are those of the point to a millionth of every span; else the point's own.
Settings as_computed(Session& session, const Eigen::VectorXd& point) {
  constexpr double same = 1e-6;
  const Study& study = session.study;
  for (const Run& run : session.store.runs()) {
    if (run.status != RunStatus::done || run.set_aside || run.use != "confirm") continue;
    const Eigen::VectorXd other = study.point(run.settings, "run");
    bool near = true;
    for (Eigen::Index j = 0; j < point.size() && near; ++j)
      near = std::abs(point[j] - other[j]) <= same * (study.space[j].high - study.space[j].low);
    if (near) return run.settings;
  }
  return study.settings(point);
}

/// Goals that miss: outside their interval, or by more per cent than is wanted; and limits that the solver
/// breaks.
std::vector<std::string> misses(const ConfirmResult::OfProposal& of, const std::vector<Goal>& goals,
                                const Study& study, double within_percent) {
  std::vector<std::string> out;
  for (const Goal& g : goals)
    for (const auto& r : of.responses) {
      if (r.response != study.responses[std::size_t(g.response)].name || !r.computed) continue;
      const bool far = r.error_percent && std::abs(*r.error_percent) > within_percent;
      if (far || (r.inside && !*r.inside))
        out.push_back(
            fmt::format("{} {:.4g} predicted, {:.4g} computed", r.response, r.predicted, *r.computed));
    }
  for (const auto& r : of.responses) {
    const Response& response = study.responses[std::size_t(study.response(r.response))];
    // The best lies on a limit as often as not: what is nearer to it than is wanted of the goals is on it.
    const double spare = r.computed ? std::abs(*r.computed) * within_percent / 100 : 0;
    if (r.computed && ((response.accept.min && *r.computed < *response.accept.min - spare) ||
                       (response.accept.max && *r.computed > *response.accept.max + spare)))
      out.push_back(fmt::format("{} {:.4g} computed is beyond its limit", r.response, *r.computed));
  }
  return out;
}

}  // namespace

std::vector<SeekRound> seek_history(Session& session, const std::string& scenario) {
  std::vector<SeekRound> out;
  for (const Batch& batch : session.store.batches()) {
    const int round = round_of(batch, scenario);
    if (round == 0) continue;
    for (const Run& run : session.store.runs_of(batch.name)) {
      SeekRound one{round, run.id, session.study.point(run.settings, "run"), {}, {}};
      for (const auto& [key, value] : batch.options)
        if (key.rfind(predicted_option, 0) == 0) {
          const std::string response = key.substr(predicted_option.size());
          one.predicted[response] = std::strtod(value.c_str(), nullptr);
          const int index = session.study.response(response);
          if (index >= 0 && run.status == RunStatus::done)
            one.computed[response] =
                computed_value(session.study, run, session.study.responses[std::size_t(index)])
                    .value_or(undefined);
        }
      out.push_back(std::move(one));
    }
  }
  return out;
}

SeekAnswer seek_and_refine(Session& session, const SeekRequest& asked, const SeekRefineOptions& options) {
  if (asked.scenarios.size() > 1 || asked.front)
    throw Error("only one best setting can be followed up", "--refine",
                "leave --front and further scenarios out");
  const std::string scenario = asked.scenarios.empty() ? "" : asked.scenarios.front();
  SeekRequest request = asked;
  request.near_best = false;
  SeekAnswer answer;
  Notes notes;
  Ground ground(session, options);
  std::string verdict;
  bool holds = false;
  if (!ground.lay(notes)) {
    answer.of.emplace_back();
    answer.of.front().scenario = scenario;
    answer.of.front().level = asked.level;
    answer.notes = notes;
    return answer;
  }
  int spent = int(seek_history(session, scenario).size());
  // What was spent before counts only while it had not yet held.
  const int first = spent;
  for (;;) {
    answer = seek_settings(session, request);
    const SeekOutcome& found = answer.of.front();
    if (found.result.proposals.empty() || !found.result.feasible) {
      verdict = "nothing holds every limit, so there is nothing to confirm";
      break;
    }
    if (spent - first >= options.budget) {
      verdict =
          fmt::format("the budget of {} confirming runs is spent, and the last did not hold", options.budget);
      break;
    }
    const Settings best = as_computed(session, found.result.proposals.front().point);
    ConfirmRequest confirm;
    confirm.at = {best};
    confirm.running = options.running;
    confirm.level = asked.level;
    confirm.recipe = {{round_option, std::to_string(spent + 1)}, {scenario_option, scenario}};
    for (const Goal& g : found.goals) {
      const ResponsePrediction* p = found.predicted.of(g.response);
      if (p && p->mean.cols() == 1)
        confirm.recipe[predicted_option + session.study.responses[std::size_t(g.response)].name] =
            number_text(p->mean(0, 0));
    }
    const ConfirmResult confirmed = confirm_settings(session, confirm);
    const ConfirmResult::OfProposal& of = confirmed.proposals.front();
    const bool is_new = int(seek_history(session, scenario).size()) > spent;
    spent += is_new;
    if (of.status == name(RunStatus::planned) || of.status == name(RunStatus::running)) {
      add_notes(notes, confirmed.notes);
      verdict = ground.is_manual() ? "the best setting waits to be measured"
                                   : "stopped: the same command goes on where it was";
      break;
    }
    if (of.status == name(RunStatus::failed)) {
      options.report(fmt::format("round {}: run {} failed there", spent, of.run));
      if (!is_new) {
        verdict = "the solver fails at the best setting";
        break;
      }
      continue;
    }
    const std::vector<std::string> wrong = misses(of, found.goals, session.study, options.within_percent);
    std::string said;
    for (const Goal& g : found.goals)
      for (const auto& r : of.responses)
        if (r.response == session.study.responses[std::size_t(g.response)].name && r.computed)
          said += fmt::format("{}{} {:.4g} computed, {:+.1f} %", said.empty() ? "" : "; ", r.response,
                              *r.computed, r.error_percent ? -*r.error_percent : 0);
    options.report(fmt::format("round {}: run {} at {}: {}", spent, of.run,
                               describe(session.study.space, of.point), said));
    if (wrong.empty()) {
      holds = true;
      verdict =
          fmt::format("confirmed on the solver within {:.2g} % by run {}", options.within_percent, of.run);
      break;
    }
    if (!is_new) {
      verdict = fmt::format(
          "the surrogates propose run {} again and still miss it ({}): the response is too rough there, or "
          "noisy",
          of.run, fmt::format("{}", fmt::join(wrong, "; ")));
      break;
    }
    ground.fit(true, notes);
  }
  // The last word: with the region as good, of the surrogates as they are now.
  if (asked.near_best && holds) answer = seek_settings(session, asked);
  SeekOutcome& out = answer.of.front();
  out.history = seek_history(session, scenario);
  // Those that were after the same.
  std::erase_if(out.history, [&](const SeekRound& r) {
    return r.predicted.size() != out.goals.size() ||
           std::any_of(out.goals.begin(), out.goals.end(), [&](const Goal& g) {
             return r.predicted.count(session.study.responses[std::size_t(g.response)].name) == 0;
           });
  });
  out.verdict = verdict;
  add_notes(answer.notes, notes);
  if (!holds) add_note(answer.notes, "not_confirmed", verdict);
  return answer;
}

}  // namespace renth
