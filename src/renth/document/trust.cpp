#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/comparison.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>
#include <renth/document/regression.hpp>
#include <renth/document/trust.hpp>
#include <renth/document/wording.hpp>

namespace renth {
namespace {

Figures of_curve(const LearningCurve& curve, double level) {
  Rows points;
  for (const LearningPoint& p : curve.points)
    points.push_back({whole("runs", "", p.runs), number("q2", "", p.q2), number("low", "", p.low),
                      number("high", "", p.high)});
  const auto count = [](const char* key, const std::optional<int>& n) {
    return n ? whole(key, "", *n) : nothing(key);
  };
  return {number("target", "", curve.target),      list("points", points),    number("rate", "", curve.rate),
          count("runs_needed", curve.runs_needed), count("low", curve.low),   count("high", curve.high),
          text("says", "", curve.sentence),        number("level", "", level)};
}

/// A run as the surrogate sees it.
Figures of_run(const ResidualRow& row, bool curve) {
  Figures out = {whole("id", "run", row.id), text("batch", "batch", row.batch)};
  if (curve) out.push_back(number("at", "at", row.at));
  for (Figure& f :
       Figures{number("observed", "observed", row.observed), number("fitted", "fitted", row.fitted),
               number("cross_validated", "left out", row.cross_validated),
               number("error_percent", "error", row.error_percent, 2, "%")})
    out.push_back(std::move(f));
  return out;
}

Figures of_response(const Study& study, const TrustResult::OfResponse& one) {
  const ModelResult& m = one.model;
  const Response& response = response_of(study, m.response);
  Json residuals = Json::array();  // of many runs: one at a time
  for (const ResidualRow& row : one.residuals) residuals.push_back(json_of(of_run(row, response.is_curve())));
  Figures out = {
      text("response", "", m.response),
      text("kind", "", m.kind),
      group("quality", quality_figures(m.quality, study.axis_of(response))),
      text("verdict", "", std::string(name(m.judgement.verdict))),
      raw("reasons", json_texts(m.judgement.reasons)),
      raw("next", json_texts(m.judgement.next)),
      raw("residuals", std::move(residuals)),
      group("coverage", {number("cross_validated", "", one.coverage),
                         number("calibrated_check", "", one.calibrated_check)}),
      one.learning ? group("learning", of_curve(*one.learning, LearningCurve::level)) : nothing("learning")};
  if (m.quality.regression) out.push_back(list("standouts", standout_rows(m)));
  if (one.against) out.push_back(group("against", comparison_figures(study, m, *one.against)));
  return out;
}

}  // namespace

Json to_document(const Study& study, const TrustResult& r) {
  Json responses = Json::array();
  for (const auto& one : r.responses) responses.push_back(json_of(of_response(study, one)));
  return {{"responses", std::move(responses)}, {"level", r.level}, {"notes", notes_document(r.notes)}};
}

std::size_t document_rows(const TrustResult& r) {
  std::size_t out = 0;
  for (const auto& one : r.responses) out += one.residuals.size();
  return out;
}

namespace {

/// What the least trustworthy one needs.
std::string next_of(const Study& study, const TrustResult& r) {
  Verdict worst = Verdict::good;
  for (const auto& one : r.responses) worst = std::max(worst, one.model.judgement.verdict);
  if (worst < Verdict::weak) return next_step("renth rank", "or renth seek");
  if (study.solver.kind == SolverSpec::Kind::manual)
    return next_step("renth plan", "more runs; measure and import them, then renth fit");
  return next_step("renth refine", "plans, runs and fits until it is good enough");
}

}  // namespace

std::string to_table(const Study& study, const TrustResult& r) {
  std::string out;
  for (const auto& one : r.responses) {
    const ModelResult& m = one.model;
    const Response& response = response_of(study, m.response);
    const Axis* axis = study.axis_of(response);
    if (one.against) {
      out += comparison_table(study, m, *one.against) + "\n";
      continue;
    }
    out += verdict_sentence(study, m);
    if (!one.residuals.empty() && std::isfinite(one.residuals.front().cross_validated)) {
      const ResidualRow& worst = one.residuals.front();
      out += fmt::format("  The worst run is {}{}, {} % off when it is left out ({} for {}{}).\n", worst.id,
                         axis ? fmt::format(" at {} {}", worst.at, axis->unit) : "",
                         pretty(worst.error_percent, 2), pretty(worst.cross_validated),
                         pretty(worst.observed), response.unit.empty() ? "" : " " + response.unit);
    }
    for (const std::string& reason : m.judgement.reasons) out += "  because " + in_options(reason) + "\n";
    for (const std::string& step : m.judgement.next) out += "  advice: " + in_options(step) + "\n";
    if (m.quality.regression) out += standout_lines(m);
    out += "\n" + quality_table(m.quality, {one.coverage, one.calibrated_check}) + "\n";
    if (axis) {
      out += along_table(m.quality, *axis);
    } else {
      Rows worst;
      for (std::size_t i = 0; i < one.residuals.size() && i < 5; ++i)
        worst.push_back(of_run(one.residuals[i], false));
      out += table_of(worst);
    }
    out += "\n";
  }
  return out + notes_of(r.notes) + next_of(study, r);
}

}  // namespace renth
