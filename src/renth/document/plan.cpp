#include <fmt/format.h>

#include <cmath>
#include <renth/document/assessment.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/plan.hpp>

namespace renth {

Json to_document(const Study& study, const PlanResult& r) {
  Json runs = Json::array();
  for (Eigen::Index i = 0; i < r.plan.size(); ++i)
    runs.push_back({{"id", r.ids.empty() ? Json(nullptr) : Json(r.ids[std::size_t(i)])},
                    {"origin", r.plan.origins[std::size_t(i)]},
                    {"block", r.plan.blocks[i]},
                    {"point", json_point(study, r.plan.points.row(i).transpose())}});
  Json out = {{"batch", r.batch.name}, {"use", r.batch.use}, {"method", r.batch.method},
              {"seed", r.batch.seed},  {"runs", runs},       {"stored", r.stored}};
  if (!r.why.empty()) out["why"] = r.why;
  if (!r.model.empty()) out["model"] = r.model;
  if (r.sweep) {
    Json lines = Json::array();
    for (const SweepLine& l : r.sweep->lines)
      lines.push_back({{"runs", l.runs},
                       {"log_det", json_number(l.log_det)},
                       {"d_efficiency", json_number(l.d_efficiency)},
                       {"a_efficiency", json_number(l.a_efficiency)},
                       {"g_efficiency", json_number(l.g_efficiency)},
                       {"i_value", json_number(l.i_value)},
                       {"max_vif", json_number(l.max_vif)}});
    out["sweep"] = lines;
    out["knee"] = r.sweep->knee;
    out["suggested"] = r.sweep->suggested;
    out["why_suggested"] = r.sweep->why;
  } else {
    out["space"] = evenness_document(r.evenness);
  }
  if (r.from_fit_runs) out["min_distance_to_fit_runs"] = json_number(*r.from_fit_runs);
  if (r.before) out["before"] = assessment_document(study, r.batch.name, *r.before);
  if (r.assessment) out["assessment"] = assessment_document(study, r.batch.name, *r.assessment);
  out["notes"] = notes_document(r.notes);
  return out;
}

namespace {

std::string sweep_table(const PlanResult& r) {
  std::string out = fmt::format("Optimal plans of each size for {}; nothing is stored.\n\n", r.model);
  TextTable table({"runs", "ln det", "D-eff", "A-eff", "G-eff", "mean variance", "largest VIF", ""});
  for (const SweepLine& l : r.sweep->lines)
    table.text(std::to_string(l.runs))
        .number(l.log_det, 5)
        .number(l.d_efficiency, 4)
        .number(l.a_efficiency, 4)
        .number(l.g_efficiency, 4)
        .number(l.i_value, 4)
        .number(l.max_vif, 4)
        .text(l.runs == r.sweep->suggested ? "← suggested"
              : l.runs == r.sweep->knee    ? "← knee"
                                           : "")
        .end_row();
  out += table.str() + "\nSuggestion: " + r.sweep->why + ".\n" + notes_of(r.notes);
  const auto found = r.batch.options.find("command");
  return out + fmt::format("next: renth plan optimal --runs {}{}, which adds that very plan\n",
                           r.sweep->suggested, found == r.batch.options.end() ? "" : " " + found->second);
}

/// The first runs of the plan.
std::string runs_table(const Study& study, const PlanResult& r) {
  const bool blocks = r.plan.size() > 0 && r.plan.blocks.minCoeff() != r.plan.blocks.maxCoeff();
  std::vector<std::string> header = {"run", "origin"};
  if (blocks) header.emplace_back("block");
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  TextTable table(header);
  const Eigen::Index most = blocks ? 40 : 12;
  for (Eigen::Index i = 0; i < r.plan.size() && i < most; ++i) {
    table.text(r.ids.empty() ? "–" : std::to_string(r.ids[std::size_t(i)]))
        .text(r.plan.origins[std::size_t(i)]);
    if (blocks) table.text(std::to_string(r.plan.blocks[i] + 1));
    add_point(table, study, r.plan.points.row(i).transpose());
    table.end_row();
  }
  std::string out = table.str();
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
  if (!r.why.empty()) out += "Why: " + r.why + ".\n";
  out += "\n" + runs_table(study, r);
  if (r.assessment && r.before) {
    out += "\n" + side_by_side({{"before", &*r.before}, {"after", &*r.assessment}});
  } else if (r.assessment) {
    out += fmt::format("\nFor {} terms ({}): {}.\n\n", r.assessment->terms.size(),
                       r.assessment->terms_chosen ? "the richest polynomial these runs carry" : "as asked",
                       plan_verdict(*r.assessment));
    out += side_by_side({{r.batch.name, &*r.assessment}});
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
    out += study.solver.kind == SolverSpec::Kind::manual
               ? "next: renth runs --export FILE, fill in the responses, renth import FILE\n"
               : "next: renth assess, to judge it, or renth run\n";
  else
    out += "Nothing was stored: leave --dry-run out to keep it.\n";
  return out;
}

}  // namespace renth
