#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/workflow/confirming.hpp>
#include <renth/workflow/named_settings.hpp>
#include <renth/workflow/predicting.hpp>

namespace renth {
namespace {

struct Chosen {
  int rank = 0;
  Settings settings;
  std::string scenario = {}, mark = {};
};

/// The run that already exists at these settings, if any: a confirm run; of a solver that gives the same
/// again also any run that failed there.
const Run* existing(const Study& study, const std::vector<Run>& runs, const Settings& settings) {
  const Run* failed = nullptr;
  for (const Run& run : runs) {
    if (run.settings != settings || run.set_aside) continue;
    const bool has_failed = run.status == RunStatus::failed;
    if (run.use == "confirm" && !has_failed) return &run;
    if (has_failed && study.solver.repeatable) failed = &run;
  }
  return failed;
}

/// The settings, marks and proposals named, else the best proposal.
std::vector<Chosen> chosen_settings(Session& session, const ConfirmRequest& request) {
  std::vector<Chosen> out;
  for (const Settings& at : request.at)
    out.push_back(
        {static_cast<int>(out.size()) + 1, session.study.settings(session.study.point(at, "--at"))});
  for (const std::string& mark : request.marks)
    out.push_back({static_cast<int>(out.size()) + 1, mark_named(session, mark).settings, "", mark});
  std::vector<std::string> proposals = request.proposals;
  if (proposals.empty() && out.empty()) proposals = {"1"};
  for (const std::string& text : proposals) {
    const StoredProposal p = proposal_named(session, text);
    out.push_back({p.rank, p.settings, p.scenario});
  }
  return out;
}

/// Plans runs at the settings that have none. \returns  whether there were any.
bool plan_missing(Session& session, const std::vector<Chosen>& chosen,
                  const std::map<std::string, std::string>& recipe) {
  std::vector<Run> missing;
  const std::vector<Run> runs = session.store.runs();
  for (const Chosen& c : chosen) {
    const bool twice =
        std::any_of(missing.begin(), missing.end(), [&](const Run& r) { return r.settings == c.settings; });
    if (twice || existing(session.study, runs, c.settings)) continue;
    Run run;
    run.origin = "added";
    run.settings = c.settings;
    missing.push_back(std::move(run));
  }
  if (missing.empty()) return false;
  const std::string name = next_batch_name(session.store, "confirm");
  session.store.add_batch({0, name, "confirm", "confirm", recipe, session.study.seed, 0}, missing);
  return true;
}

/// Runs the solver where it has not run yet.
void compute(Session& session, const std::vector<Chosen>& chosen, RunningOptions running, Notes& notes) {
  const std::vector<Run> runs = session.store.runs();
  for (const Chosen& c : chosen)
    if (const Run* run = existing(session.study, runs, c.settings);
        run && run->status != RunStatus::done && run->status != RunStatus::failed)
      running.only.push_back(run->id);
  if (running.only.empty()) return;
  const RunSummary summary = run_batches(session, running);
  for (const auto& [id, message] : summary.failures)
    add_note(notes, "solver_failed", fmt::format("run {} failed: {}", id, message));
}

/// The run at the settings; if only failed ones are there, the latest of those.
const Run* run_at(const Study& study, const std::vector<Run>& runs, const Settings& settings) {
  const Run* out = existing(study, runs, settings);
  for (std::size_t i = runs.size(); !out && i-- > 0;)
    if (runs[i].use == "confirm" && runs[i].settings == settings) out = &runs[i];
  return out;
}

ConfirmResult::OfResponse compare(const Response& response, const ResponsePrediction& p, Eigen::Index row,
                                  Eigen::Index at, std::optional<double> computed) {
  ConfirmResult::OfResponse c;
  c.response = response.name;
  c.predicted = p.mean(row, at);
  c.low = p.prediction_low(row, at);
  c.high = p.prediction_high(row, at);
  c.computed = computed;
  if (!c.computed) return c;
  const double y = *c.computed, hair = 1e-9 * std::abs(y);
  if (y != 0) c.error_percent = 100 * (c.predicted - y) / std::abs(y);
  if (std::isfinite(c.low)) c.inside = y >= c.low - hair && y <= c.high + hair;
  return c;
}

ConfirmResult::OfCurve compare_curve(const Study& study, const Response& response,
                                     const ResponsePrediction& p, Eigen::Index row, const Run* run) {
  std::optional<Eigen::VectorXd> computed;
  if (run) computed = computed_curve(study, *run, response);
  ConfirmResult::OfCurve out{response.name, {}};
  for (Eigen::Index q = 0; q < p.mean.cols(); ++q)
    out.at.push_back(
        compare(response, p, row, q,
                computed && std::isfinite((*computed)[q]) ? std::optional((*computed)[q]) : std::nullopt));
  return out;
}

}  // namespace

ConfirmResult confirm_settings(Session& session, const ConfirmRequest& request) {
  const Study& study = session.study;
  ConfirmResult out;
  out.level = request.level;
  const std::vector<Chosen> chosen = chosen_settings(session, request);
  std::vector<Eigen::VectorXd> points;
  for (const Chosen& c : chosen) {
    points.push_back(study.point(c.settings, "confirm"));
    if (!study.space.allows(points.back()))
      add_note(out.notes, "limit",
               "the settings " + describe(study.space, points.back()) + " break a limit of the study");
  }
  // Predictions first: they must not know the runs that they are compared with.
  const FittedStudy fitted(session, {});
  const PredictResult predicted = predict_points(fitted, stacked(points, study.space.size()), request.level);
  add_notes(out.notes, predicted.notes);
  const bool manual = study.solver.kind == SolverSpec::Kind::manual;
  const bool planned = plan_missing(session, chosen, request.recipe);
  if (!manual) compute(session, chosen, request.running, out.notes);
  const std::vector<Run> runs = session.store.runs();
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    const Run* run = run_at(study, runs, chosen[i].settings);
    ConfirmResult::OfProposal of;
    of.rank = chosen[i].rank;
    of.scenario = chosen[i].scenario;
    of.mark = chosen[i].mark;
    of.point = points[i];
    if (run) {
      of.run = run->id;
      of.status = std::string(name(run->status));
      of.message = run->message;
      if (run->status == RunStatus::failed)
        add_note(out.notes, "failed_there",
                 fmt::format(
                     "run {} failed at the settings of proposal {}: seek again, which keeps away from where "
                     "runs fail; or mend the solver and try once more: renth run --retry-failed --only {}",
                     run->id, of.rank, run->id));
    }
    for (const ResponsePrediction& p : predicted.predictions.responses) {
      const Response& response = study.responses[std::size_t(p.response)];
      const Run* done = run && run->status == RunStatus::done ? run : nullptr;
      if (response.is_curve()) {
        // Of many points some lie outside as a rule: that is no miss.
        of.curves.push_back(compare_curve(study, response, p, Eigen::Index(i), done));
        continue;
      }
      of.responses.push_back(
          compare(response, p, Eigen::Index(i), 0,
                  done ? computed_value(study, *done, response) : std::optional<double>()));
      out.missed = out.missed || of.responses.back().inside == false;
    }
    out.proposals.push_back(std::move(of));
  }
  if (manual && planned)
    add_note(out.notes, "to_be_measured",
             "this study has no solver: measure the planned confirm runs, import them, and confirm again to "
             "compare");
  return out;
}

}  // namespace renth
