#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/comparison.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>

namespace renth {
namespace {

/// One fit, in a column of the table.
Figures summary(const ModelResult& m, double rmse_common, int common) {
  const Quality& q = m.quality;
  return {text("", "kind", kind_and_detail(m)),
          text("", "verdict", std::string(name(m.judgement.verdict))),
          whole("", "runs", m.runs),
          number("", "Q²", q.q2),
          number("", "RMSE cv", q.rmse_cv),
          number("", common == 1 ? "RMSE cv on the run of both" : "RMSE cv on the runs of both", rmse_common),
          number("", "R²", q.r2),
          number("", "adjusted R²", q.r2_adjusted),
          number("", "s", q.sigma),
          number("", "largest error", q.max_abs_error),
          number("", "check R²", q.check ? q.check->r2 : NAN)};
}

Rows run_rows(const FitComparison& c, bool curve) {
  const auto fitted_by = [&](std::int64_t id) -> std::string {
    const auto in = [&](const std::vector<std::int64_t>& list) {
      return std::binary_search(list.begin(), list.end(), id);
    };
    return in(c.only_current) ? "current" : in(c.only_other) ? c.name : "both";
  };
  Rows out;
  for (const FitComparison::Run& r : c.runs) {
    Figures row = {whole("id", "run", r.id)};
    if (curve) row.push_back(number("at", "at", r.at));
    row.push_back(text("fitted_by", "fitted by", fitted_by(r.id)));
    row.push_back(number("observed", "observed", r.observed));
    row.push_back(number("current", "current", r.current));
    row.push_back(number("against", c.name, r.other));
    row.push_back(number("difference", "difference", r.current - r.other, 3));
    out.push_back(std::move(row));
  }
  return out;
}

Figures of_coefficient(const std::optional<Coefficient>& c, const std::string& who, double level) {
  if (!c)
    return {number("coefficient", who, NAN), bounds("", "interval", NAN, NAN, level).as("–"), nothing("low"),
            nothing("high")};
  return {number("coefficient", who, c->value), bounds("", "interval", c->low, c->high, level),
          number("low", "", c->low), number("high", "", c->high)};
}

Rows term_rows(const FitComparison& c, double level) {
  Rows out;
  for (const FitComparison::Term& t : c.terms)
    out.push_back({text("term", "term", t.name),
                   group("current", of_coefficient(t.current, "current", level)),
                   group("against", of_coefficient(t.other, c.name, level))});
  return out;
}

}  // namespace

Figures comparison_figures(const Study& study, const ModelResult& current, const FitComparison& c) {
  const Response& response = response_of(study, current.response);
  const ModelResult& other = c.other;
  return {
      text("name", "", c.name),
      text("kind", "", other.kind),
      whole("runs", "", other.runs),
      text("verdict", "", std::string(name(other.judgement.verdict))),
      group("quality", quality_figures(other.quality, study.axis_of(response))),
      raw("only_current", c.only_current),
      raw("only_against", c.only_other),
      group("common", {whole("runs", "", c.common), number("rmse_cv", "", c.rmse_cv_current),
                       number("rmse_cv_against", "", c.rmse_cv_other)}),
      group("difference", {number("rms", "", c.rms_difference), number("largest", "", c.largest_difference),
                           setting("point", study, c.most_at),
                           std::isfinite(c.most_along) ? number("at", "", c.most_along) : nothing("at")}),
      list("compared_runs", run_rows(c, response.is_curve())),
      list("terms", term_rows(c, current.quality.level))};
}

std::string comparison_table(const Study& study, const ModelResult& m, const FitComparison& c) {
  const Response& r = response_of(study, m.response);
  const std::string unit = r.unit.empty() ? "" : " " + r.unit;
  std::string out = fmt::format("{}: the current fit beside {}.\n", r.title(), c.name);
  if (c.only_current.empty() && c.only_other.empty()) out += "  Both were fitted to the same runs.\n";
  if (!c.only_current.empty())
    out += fmt::format("  Only the current one: {}.\n", listed_runs(c.only_current));
  if (!c.only_other.empty()) out += fmt::format("  Only {}: {}.\n", c.name, listed_runs(c.only_other));
  const Axis* axis = study.axis_of(r);
  if (c.largest_difference == 0)
    out += "  They predict the same everywhere.\n";
  else
    out += fmt::format(
        "  Over the region they differ by {}{} (root mean square), and by {}{} at most, at {}{}.\n",
        pretty(c.rms_difference, 3), unit, pretty(c.largest_difference, 3), unit,
        describe(study.space, c.most_at),
        axis ? fmt::format(", {} {}{}", axis->name, pretty(c.most_along),
                           axis->unit.empty() ? "" : " " + axis->unit)
             : "");
  out += "\n" + beside_each_other({{"current", summary(m, c.rmse_cv_current, c.common)},
                                   {c.name, summary(c.other, c.rmse_cv_other, c.common)}});
  if (!c.runs.empty()) out += "\n" + table_of(run_rows(c, r.is_curve()));
  if (!c.terms.empty()) out += "\n" + table_of(term_rows(c, m.quality.level));
  return out;
}

}  // namespace renth
