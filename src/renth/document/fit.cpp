#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/fit.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>
#include <renth/document/regression.hpp>

namespace renth {
namespace {

Json model(const Study& study, const ModelResult& m) {
  const Response& r = study.responses[study.response(m.response)];
  Json tried = Json::array();
  for (const Tried& t : m.tried) {
    Json one = {{"kind", t.kind}, {"q2", json_number(t.q2)}, {"rmse_cv", json_number(t.rmse_cv)}};
    if (!t.settings.empty()) one["settings"] = t.settings;
    if (!t.why.empty()) one["why"] = t.why;
    tried.push_back(one);
  }
  Json out = {{"response", m.response},
              {"kind", m.kind},
              {"runs", m.runs},
              {"why", m.why},
              {"verdict", std::string(name(m.judgement.verdict))},
              {"quality", quality_document(m.quality, study.axis_of(r))},
              {"tried", tried},
              {"settings", m.chosen_settings},
              {"detail", m.detail},
              {"idle", m.idle}};
  if (m.polynomial) add_regression(study, m, out);
  return out;
}

/// All candidates, the best first; of several responses only the best of each kind.
std::string candidate_table(const ModelResult& m, bool all) {
  std::vector<const Tried*> sorted;
  for (const Tried& t : m.tried) sorted.push_back(&t);
  const auto figure = [](const Tried* t) { return std::isfinite(t->q2) ? t->q2 : -1e300; };
  std::stable_sort(sorted.begin(), sorted.end(),
                   [&](const Tried* a, const Tried* b) { return figure(a) > figure(b); });
  TextTable table({"candidate", "settings", "Q²", "RMSE cv", ""});
  std::vector<std::string> shown, problems;
  std::size_t left = 0;
  for (const Tried* t : sorted) {
    const bool chosen = t->kind == m.kind && t->settings == m.chosen_settings;
    const bool seen = std::count(shown.begin(), shown.end(), t->kind) > 0;
    if (!all && !chosen && (seen || !std::isfinite(t->q2))) {
      ++left;
      continue;
    }
    shown.push_back(t->kind);
    table.text(t->kind).text(t->settings);
    if (t->q2 < -1)  // how much below says nothing, and would cost the others their digits
      table.text("< -1");
    else
      table.number(t->q2);
    table.text(std::isfinite(t->rmse_cv) ? pretty(t->rmse_cv) : "–")
        .text(chosen                 ? "chosen"
              : std::isfinite(t->q2) ? ""
                                     : "not possible")
        .end_row();
    if (all && !t->why.empty())
      problems.push_back("  " + t->kind + (t->settings.empty() ? "" : " ") + t->settings + ": " + t->why +
                         "\n");
  }
  std::string out = table.str();
  for (const std::string& p : problems) out += p;
  if (left > 0) out += fmt::format("({} more: renth fit --response {}, or --json)\n", left, m.response);
  return out;
}

}  // namespace

Json to_document(const Study& study, const FitResult& r) {
  Json models = Json::array();
  for (const ModelResult& m : r.models) models.push_back(model(study, m));
  return {{"models", models}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const FitResult& r) {
  std::string out;
  for (const ModelResult& m : r.models) out += verdict_sentence(study, m);
  TextTable table(
      {"response", "kind", "Q²", "RMSE cv", "R²", "adjusted", "predicted", "check R²", "verdict"});
  for (const ModelResult& m : r.models)
    table.text(with_unit(m.response, study.responses[study.response(m.response)].unit))
        .text(m.kind)
        .number(m.quality.q2)
        .text(pretty(m.quality.rmse_cv))
        .number(m.quality.r2)
        .number(m.quality.r2_adjusted)
        .number(m.quality.r2_predicted)
        .number(m.quality.check ? m.quality.check->r2 : NAN)
        .text(std::string(name(m.judgement.verdict)))
        .end_row();
  out += "\n" + table.str();
  bool chosen = false;
  for (const ModelResult& m : r.models) {
    if (m.tried.size() < 2) continue;
    chosen = true;
    out += fmt::format("\n{}: {}.\n", study.responses[study.response(m.response)].title(), m.why);
    if (!m.idle.empty())
      out += fmt::format("It leaves out {}, which carr{} no information on it.\n", fmt::join(m.idle, ", "),
                         m.idle.size() == 1 ? "ies" : "y");
    out += candidate_table(m, r.models.size() == 1);
  }
  if (chosen)
    out +=
        "\nThe first table's Q² pays for the choosing: each run is predicted by what would be chosen without "
        "it.\n";
  for (const ModelResult& m : r.models)
    if (m.polynomial && (r.in_full || r.models.size() == 1)) out += regression_table(study, m);
  out += "\n" + notes_of(r.notes) + "next: renth trust\n";
  return out;
}

}  // namespace renth
