#include <fmt/format.h>

#include <cmath>
#include <renth/study/regression_tables.hpp>
#include <renth/study/tables.hpp>

namespace renth {
namespace {

std::string sentence(const ModelResult& m, const Study& study) {
  const Response& r = study.responses[study.response(m.response)];
  return fmt::format("{}: {}. {} on {} runs, typically {} {}off (cross-validated RMSE).\n", r.title(),
                     name(m.judgement.verdict), m.kind, m.runs, pretty(m.quality.rmse_cv, 3),
                     r.unit.empty() ? "" : r.unit + " ");
}

}  // namespace

std::string to_table(const Study& study, const FitResult& r) {
  std::string out;
  for (const ModelResult& m : r.models) out += sentence(m, study);
  TextTable table({"response", "kind", "Q²", "RMSE cv", "R²", "adjusted", "predicted", "check R²", "verdict",
                   "tried (Q²)"});
  for (const ModelResult& m : r.models) {
    std::string tried;
    for (const Tried& t : m.tried)
      tried += fmt::format("{}{} {}", tried.empty() ? "" : ", ", t.kind,
                           std::isfinite(t.q2) ? fmt::format("{:.4f}", t.q2) : "not possible");
    table.text(with_unit(m.response, study.responses[study.response(m.response)].unit))
        .text(m.kind)
        .number(m.quality.q2)
        .text(pretty(m.quality.rmse_cv))
        .number(m.quality.r2)
        .number(m.quality.r2_adjusted)
        .number(m.quality.r2_predicted)
        .number(m.quality.check ? m.quality.check->r2 : NAN)
        .text(std::string(name(m.judgement.verdict)))
        .text(tried)
        .end_row();
  }
  out += "\n" + table.str();
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
      out += fmt::format("  The worst run is {}{}, {} % off when it is left out.\n", worst.id,
                         axis ? fmt::format(" at {} {}", worst.at, axis->unit) : "",
                         pretty(worst.error_percent, 2));
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
        .text("")
        .end_row();
    if (q.check)
      figures.text(fmt::format("{} check runs", q.check->runs))
          .number(NAN)
          .number(q.check->r2)
          .number(q.check->rmse)
          .number(q.check->max_abs_error)
          .number(q.check->mean_abs_percent, 2)
          .text(fmt::format("{:.0f} %", 100 * q.check->inside))
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

}  // namespace renth
