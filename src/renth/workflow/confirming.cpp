#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/workflow/confirming.hpp>

namespace renth {
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
