#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>
#include <renth/document/regression.hpp>
#include <renth/document/trust.hpp>

namespace renth {
namespace {

Json learning(const std::optional<LearningCurve>& curve) {
  if (!curve) return nullptr;
  Json points = Json::array();
  for (const LearningPoint& p : curve->points)
    points.push_back({{"runs", p.runs}, {"q2", p.q2}, {"low", p.low}, {"high", p.high}});
  const auto count = [](const std::optional<int>& n) { return n ? Json(*n) : Json(nullptr); };
  return {{"target", curve->target},          {"points", points},
          {"rate", json_number(curve->rate)}, {"runs_needed", count(curve->runs_needed)},
          {"low", count(curve->low)},         {"high", count(curve->high)},
          {"says", curve->sentence}};
}

}  // namespace

Json to_document(const Study& study, const TrustResult& r) {
  Json responses = Json::array();
  for (const auto& one : r.responses) {
    const Response& response = study.responses[study.response(one.model.response)];
    Json residuals = Json::array();
    for (const ResidualRow& row : one.residuals) {
      Json line = {{"id", row.id}, {"batch", row.batch}};
      if (response.axis >= 0) line["at"] = row.at;
      line["observed"] = row.observed;
      line["fitted"] = json_number(row.fitted);
      line["cross_validated"] = json_number(row.cross_validated);
      line["error_percent"] = json_number(row.error_percent);
      residuals.push_back(line);
    }
    responses.push_back({{"response", one.model.response},
                         {"kind", one.model.kind},
                         {"quality", quality_document(one.model.quality, study.axis_of(response))},
                         {"verdict", std::string(name(one.model.judgement.verdict))},
                         {"reasons", json_texts(one.model.judgement.reasons)},
                         {"next", json_texts(one.model.judgement.next)},
                         {"residuals", residuals},
                         {"coverage",
                          {{"cross_validated", json_number(one.coverage)},
                           {"calibrated_check", json_number(one.calibrated_check)}}},
                         {"learning", learning(one.learning)}});
    if (one.model.quality.regression) responses.back()["standouts"] = standouts_document(one.model);
  }
  return {{"responses", responses}, {"notes", notes_document(r.notes)}};
}

namespace {

/// On fitted, left-out and check runs.
std::string figures_table(const TrustResult::OfResponse& one) {
  const Quality& q = one.model.quality;
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
  return figures.str();
}

/// At each point of an axis.
std::string along_table(const Axis& axis, const Quality& q) {
  TextTable along({with_unit(axis.name, axis.unit), "R²", "Q²", "RMSE cv"});
  for (std::size_t k = 0; k < q.along.size(); ++k)
    along.number(axis.points[k])
        .number(q.along[k].r2)
        .number(q.along[k].q2)
        .number(q.along[k].rmse)
        .end_row();
  return along.str();
}

std::string worst_runs(const TrustResult::OfResponse& one) {
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
  return table.str();
}

}  // namespace

std::string to_table(const Study& study, const TrustResult& r) {
  std::string out;
  for (const auto& one : r.responses) {
    const ModelResult& m = one.model;
    const Response& response = study.responses[study.response(m.response)];
    const Axis* axis = study.axis_of(response);
    const Quality& q = m.quality;
    out += verdict_sentence(study, m);
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
    out += "\n" + figures_table(one);
    if (axis) {
      out += "\n" + along_table(*axis, q);
    } else {
      out += "\n" + worst_runs(one);
    }
    out += "\n";
  }
  return out + notes_of(r.notes);
}

}  // namespace renth
