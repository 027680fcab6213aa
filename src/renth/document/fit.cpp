#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/fit.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>
#include <renth/document/regression.hpp>

namespace renth {
namespace {

Figures of_candidate(const Tried& t, const ModelResult& m) {
  const bool chosen = t.kind == m.kind && t.settings == m.chosen_settings;
  // How much below −1 says nothing, and would cost the others their digits.
  Figure q2 = number("q2", "Q²", t.q2);
  if (t.q2 < -1) q2 = std::move(q2).as("< -1");
  Figures out = {text("kind", "candidate", t.kind), text("settings", "settings", t.settings), std::move(q2),
                 number("rmse_cv", "RMSE cv", t.rmse_cv)};
  if (!t.why.empty()) out.push_back(text("why", "", t.why));
  out.push_back(text("", " ",
                     chosen                 ? "chosen"
                     : !std::isfinite(t.q2) ? "not possible"
                     : t.why.empty()        ? ""
                                            : "left behind"));
  return out;
}

/// What every kind has.
Figures of_model(const Study& study, const ModelResult& m) {
  const Response& r = response_of(study, m.response);
  Rows tried;
  for (const Tried& t : m.tried) tried.push_back(of_candidate(t, m));
  return {text("response", "response", m.response).as(with_unit(m.response, r.unit)),
          text("kind", "kind", m.kind),
          whole("runs", "", m.runs),
          text("why", "", m.why),
          group("quality", quality_figures(m.quality, study.axis_of(r))),
          text("verdict", "verdict", std::string(name(m.judgement.verdict))),
          list("tried", std::move(tried)),
          text("settings", "", m.chosen_settings),
          text("detail", "", m.detail),
          raw("idle", m.idle)};
}

/// All candidates, the best first; of several responses only the best of each kind.
std::string candidate_table(const ModelResult& m, bool all) {
  std::vector<const Tried*> sorted;
  for (const Tried& t : m.tried) sorted.push_back(&t);
  const auto figure = [](const Tried* t) { return std::isfinite(t->q2) ? t->q2 : -1e300; };
  std::stable_sort(sorted.begin(), sorted.end(),
                   [&](const Tried* a, const Tried* b) { return figure(a) > figure(b); });
  Rows rows;
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
    rows.push_back(of_candidate(*t, m));
    if (all && !t->why.empty())
      problems.push_back("  " + t->kind + (t->settings.empty() ? "" : " ") + t->settings + ": " + t->why +
                         "\n");
  }
  std::string out = table_of(rows);
  for (const std::string& p : problems) out += p;
  if (left > 0) out += fmt::format("({} more: renth fit --response {}, or --json)\n", left, m.response);
  return out;
}

}  // namespace

Json to_document(const Study& study, const FitResult& r) {
  Json models = Json::array();
  for (const ModelResult& m : r.models) {
    Figures figures = of_model(study, m);
    if (m.polynomial)
      for (Figure& f : regression_figures(study, m)) figures.push_back(std::move(f));
    models.push_back(json_of(figures));
  }
  return {{"models", std::move(models)}, {"level", r.level}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const FitResult& r) {
  std::string out;
  for (const ModelResult& m : r.models) out += verdict_sentence(study, m);
  Rows lines;
  for (const ModelResult& m : r.models) lines.push_back(of_model(study, m));
  lines = only(lines, {"response", "kind", "quality.q2", "quality.rmse_cv", "quality.r2",
                       "quality.r2_adjusted", "quality.r2_predicted", "quality.check.r2", "verdict"});
  out += "\n" + table_of(lines);
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
  out += "\n" + notes_of(r.notes) + next_step("renth trust");
  return out;
}

}  // namespace renth
