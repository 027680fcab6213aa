#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/study/regression_tables.hpp>
#include <renth/study/tables.hpp>

namespace renth {
namespace {

std::string sentence(const ModelResult& m, const Study& study) {
  const Response& r = study.responses[study.response(m.response)];
  return fmt::format("{}: {}. {}{} on {} runs, typically {} {}off (cross-validated RMSE).\n", r.title(),
                     name(m.judgement.verdict), m.kind, m.detail.empty() ? "" : " (" + m.detail + ")", m.runs,
                     pretty(m.quality.rmse_cv, 3), r.unit.empty() ? "" : r.unit + " ");
}

}  // namespace

namespace {

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

std::string to_table(const Study& study, const FitResult& r) {
  std::string out;
  for (const ModelResult& m : r.models) out += sentence(m, study);
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

std::string to_table(const Study& study, const TrustResult& r) {
  std::string out;
  for (const auto& one : r.responses) {
    const ModelResult& m = one.model;
    const Response& response = study.responses[study.response(m.response)];
    const Axis* axis = study.axis_of(response);
    const Quality& q = m.quality;
    out += sentence(m, study);
    if (!one.residuals.empty()) {
      const ResidualRow& worst = one.residuals.front();
      out += fmt::format("  The worst run is {}{}, {} % off when it is left out ({} for {}{}).\n", worst.id,
                         axis ? fmt::format(" at {} {}", worst.at, axis->unit) : "",
                         pretty(worst.error_percent, 2), pretty(worst.cross_validated),
                         pretty(worst.observed), response.unit.empty() ? "" : " " + response.unit);
    }
    for (const std::string& reason : m.judgement.reasons) out += "  because " + reason + "\n";
    for (const std::string& step : m.judgement.next) out += "  next: " + step + "\n";
    if (q.regression) out += standout_lines(m);
    TextTable figures(
        {"", "R²", "Q² or R²", "RMSE", "largest error", "mean error [%]", "inside 95 % interval"});
    figures.text(fmt::format("{} fitted runs", q.runs))
        .number(q.r2)
        .number(NAN)
        .number(q.rmse)
        .number(q.max_abs_error)
        .number(q.mean_abs_percent, 2)
        .text("")
        .end_row();
    figures.text(fmt::format("cross-validated, {} folds", q.folds))
        .number(NAN)
        .number(q.q2)
        .number(q.rmse_cv)
        .number(NAN)
        .number(NAN)
        .text(std::isfinite(one.coverage) ? fmt::format("{:.0f} %", 100 * one.coverage) : "")
        .end_row();
    if (q.check)
      figures.text(fmt::format("{} check runs", q.check->runs))
          .number(NAN)
          .number(q.check->r2)
          .number(q.check->rmse)
          .number(q.check->max_abs_error)
          .number(q.check->mean_abs_percent, 2)
          .text(fmt::format("{:.0f} %{}", 100 * q.check->inside,
                            std::isfinite(one.calibrated_check)
                                ? fmt::format(" (calibrated {:.0f} %)", 100 * one.calibrated_check)
                                : ""))
          .end_row();
    out += "\n" + figures.str();
    if (axis) {
      TextTable along({with_unit(axis->name, axis->unit), "R²", "Q²", "RMSE cv"});
      for (std::size_t k = 0; k < q.along.size(); ++k)
        along.number(axis->points[k])
            .number(q.along[k].r2)
            .number(q.along[k].q2)
            .number(q.along[k].rmse)
            .end_row();
      out += "\n" + along.str();
    } else {
      TextTable table({"run", "batch", "observed", "fitted", "left out", "error [%]"});
      for (std::size_t i = 0; i < one.residuals.size() && i < 5; ++i) {
        const ResidualRow& row = one.residuals[i];
        table.text(std::to_string(row.id))
            .text(row.batch)
            .number(row.observed)
            .number(row.fitted)
            .number(row.cross_validated)
            .number(row.error_percent, 2)
            .end_row();
      }
      out += "\n" + table.str();
    }
    out += "\n";
  }
  return out + notes_of(r.notes);
}

std::string to_table(const Study& study, const RefineResult& r) {
  std::string out = fmt::format("{}: {} of {} runs spent in {} rounds, {}.\n",
                                r.reached   ? "Reached"
                                : r.stopped ? "Stopped"
                                            : "Ended",
                                r.spent, r.budget, r.rounds.size(), r.why);
  for (const RefineRound& round : r.rounds) out += "  " + round.says + "\n";
  if (!r.q2.empty()) {
    TextTable table({"response", "Q² at first", "Q² now", "verdict"});
    for (const auto& [name, q2] : r.q2) {
      double first = NAN;
      if (!r.rounds.empty())
        if (const auto found = r.rounds.front().q2_before.find(name);
            found != r.rounds.front().q2_before.end())
          first = found->second;
      const auto verdict = r.verdicts.find(name);
      table.text(with_unit(name, study.responses[study.response(name)].unit))
          .number(first)
          .number(q2)
          .text(verdict == r.verdicts.end() ? "" : std::string(renth::name(verdict->second)))
          .end_row();
    }
    out += "\n" + table.str();
  }
  out += "\n" + notes_of(r.notes);
  out += r.stopped ? "next: renth refine, which goes on where it was stopped\n"
         : r.to_be_measured
             ? "next: renth runs --where \"status == planned\", measure, renth import, renth refine\n"
         : r.reached ? "next: renth seek, renth confirm\n"
                     : "next: renth trust, or renth refine --budget N for more\n";
  return out;
}

}  // namespace renth
