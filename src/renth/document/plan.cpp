#include <fmt/format.h>

#include <cmath>
#include <renth/document/assessment.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/plan.hpp>
#include <renth/document/wording.hpp>

namespace renth {

namespace {

Figures of_run(const Study& study, const PlanResult& r, Eigen::Index i, bool blocks) {
  const auto at = std::size_t(i);
  return {r.ids.empty() ? Figure{"id", "run", Json(nullptr)} : whole("id", "run", r.ids[at]),
          text("origin", "origin", r.plan.origins[at]),
          blocks ? whole("block", "block", r.plan.blocks[i]).as(std::to_string(r.plan.blocks[i] + 1))
                 : whole("block", "", r.plan.blocks[i]),
          setting("point", study, r.plan.points.row(i).transpose())};
}

/// The sizes that were tried, the worthwhile ones marked.
Rows sweep_rows(const Sweep& sweep) {
  Rows out;
  for (const SweepLine& l : sweep.lines)
    out.push_back({whole("runs", "runs", l.runs), number("log_det", "ln det", l.log_det, 5),
                   number("d_efficiency", "D-eff", l.d_efficiency),
                   number("a_efficiency", "A-eff", l.a_efficiency),
                   number("g_efficiency", "G-eff", l.g_efficiency),
                   number("i_value", "mean variance", l.i_value), number("max_vif", "largest VIF", l.max_vif),
                   text("", " ",
                        l.runs == sweep.suggested ? "← suggested"
                        : l.runs == sweep.knee    ? "← knee"
                                                  : "")});
  return out;
}

}  // namespace

Json to_document(const Study& study, const PlanResult& r) {
  Rows runs;
  for (Eigen::Index i = 0; i < r.plan.size(); ++i) runs.push_back(of_run(study, r, i, false));
  Figures out = {text("batch", "", r.batch.name),    text("use", "", r.batch.use),
                 text("method", "", r.batch.method), raw("seed", r.batch.seed),
                 list("runs", std::move(runs)),      yes_no("stored", "", r.stored)};
  if (!r.why.empty()) out.push_back(text("why", "", in_options(r.why)));
  if (!r.model.empty()) out.push_back(text("model", "", r.model));
  if (r.sweep) {
    out.push_back(list("sweep", sweep_rows(*r.sweep)));
    out.push_back(whole("knee", "", r.sweep->knee));
    out.push_back(whole("suggested", "", r.sweep->suggested));
    out.push_back(text("why_suggested", "", r.sweep->why));
  } else {
    out.push_back(group("space", evenness_figures(r.evenness)));
  }
  if (r.from_fit_runs) out.push_back(number("min_distance_to_fit_runs", "", *r.from_fit_runs));
  if (r.before) out.push_back(group("before", assessment_figures(study, r.batch.name, *r.before)));
  if (r.assessment)
    out.push_back(group("assessment", assessment_figures(study, r.batch.name, *r.assessment)));
  out.push_back(raw("notes", notes_document(r.notes)));
  return json_of(out);
}

namespace {

std::string sweep_table(const PlanResult& r) {
  std::string out = fmt::format("Optimal plans of each size for {}; nothing is stored.\n\n", r.model);
  out += table_of(sweep_rows(*r.sweep)) + "\nSuggestion: " + r.sweep->why + ".\n" + notes_of(r.notes);
  return out + next_step(r.next, "adds that very plan");
}

/// The first runs of the plan.
std::string runs_table(const Study& study, const PlanResult& r) {
  const bool blocks = r.plan.size() > 0 && r.plan.blocks.minCoeff() != r.plan.blocks.maxCoeff();
  const Eigen::Index most = blocks ? 40 : 12;
  Rows rows;
  for (Eigen::Index i = 0; i < r.plan.size() && i < most; ++i) rows.push_back(of_run(study, r, i, blocks));
  std::string out = table_of(rows);
  if (r.plan.size() > most)
    out += r.stored ? fmt::format("  … and {} more: renth runs --where \"batch == '{}'\"\n",
                                  r.plan.size() - most, r.batch.name)
                    : fmt::format("  … and {} more\n", r.plan.size() - most);
  return out;
}

}  // namespace

std::string to_table(const Study& study, const PlanResult& r) {
  if (r.sweep) return sweep_table(r);
  std::string out =
      fmt::format("{} {} runs in batch {} by {}, for {}.\n", r.stored ? "Planned" : "Would plan",
                  r.plan.size(), r.batch.name, r.batch.method,
                  r.batch.use == "fit"     ? "fitting"
                  : r.batch.use == "check" ? "checking"
                                           : "confirming");
  if (!r.why.empty()) out += "Why: " + in_options(r.why) + ".\n";
  out += "\n" + runs_table(study, r);
  if (r.assessment && r.before) {
    out += "\n" + side_by_side(study, {{"before", &*r.before}, {"after", &*r.assessment}});
  } else if (r.assessment) {
    out += fmt::format("\nFor {} terms ({}): {}.\n\n", r.assessment->terms.size(),
                       r.assessment->terms_chosen ? "the richest polynomial these runs carry" : "as asked",
                       plan_verdict(*r.assessment));
    out += side_by_side(study, {{r.batch.name, &*r.assessment}});
  } else if (std::isfinite(r.evenness.min_distance)) {
    out += fmt::format(
        "\nIn the unit cube the two nearest runs are {} apart, a run {} from its nearest on average; the "
        "largest correlation of two columns is {}.\n",
        pretty(r.evenness.min_distance, 3), pretty(r.evenness.mean_nearest, 3),
        pretty(r.evenness.max_abs_correlation, 2));
  }
  if (r.from_fit_runs && std::isfinite(*r.from_fit_runs))
    out +=
        fmt::format("No check run is nearer than {} to a run that is fitted.\n", pretty(*r.from_fit_runs, 3));
  out += notes_of(r.notes);
  if (r.stored)
    out +=
        study.solver.kind == SolverSpec::Kind::manual
            ? next_step("renth runs --export runs.csv", "fill in the responses, then renth import runs.csv")
            : next_step("renth run", "or first renth assess, which judges the plan");
  else
    out += "Nothing was stored: leave --dry-run out to keep it.\n";
  return out;
}

}  // namespace renth
