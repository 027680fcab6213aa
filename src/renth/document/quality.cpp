#include <fmt/format.h>

#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>

namespace renth {

namespace {

Rows along_figures(const Quality& q, const Axis& axis) {
  Rows out;
  for (std::size_t k = 0; k < q.along.size(); ++k)
    out.push_back({number("at", axis.name, axis.points[k], 4, axis.unit), number("r2", "R²", q.along[k].r2),
                   number("q2", "Q²", q.along[k].q2), number("rmse", "RMSE cv", q.along[k].rmse)});
  return out;
}

Figures check_figures(const CheckQuality& check, double level) {
  return {whole("runs", "", check.runs),
          number("r2", "check R²", check.r2),
          number("rmse", "check RMSE", check.rmse),
          number("max_abs_error", "", check.max_abs_error),
          number("mean_abs_percent", "", check.mean_abs_percent),
          per_cent("inside", "inside " + level_text(level), check.inside)};
}

}  // namespace

Figures quality_figures(const Quality& q, const Axis* axis) {
  return {number("r2", "R²", q.r2),
          number("r2_adjusted", "adjusted", q.r2_adjusted),
          number("r2_predicted", "predicted", q.r2_predicted),
          number("press", "", q.press),
          number("sigma", "", q.sigma),
          number("rmse", "", q.rmse),
          number("max_abs_error", "", q.max_abs_error),
          number("mean_abs_percent", "", q.mean_abs_percent),
          number("q2", "Q²", q.q2),
          number("rmse_cv", "RMSE cv", q.rmse_cv).known_to(NAN),
          whole("folds", "", q.folds),
          yes_no("folds_refitted", "", q.folds_refitted),
          list("along", axis ? along_figures(q, *axis) : Rows{}),
          q.check ? group("check", check_figures(*q.check, q.level)) : nothing("check")};
}

std::string along_table(const Quality& q, const Axis& axis) {
  return table_of(along_figures(q, axis));
}

Rows quality_rows(const Quality& q, const QualityOnRuns& more) {
  const auto line = [&](std::string of, double r2, double left_out, double rmse, double worst, double percent,
                        std::string inside) -> Figures {
    return {text("", "on", std::move(of)),
            number("", "R²", r2),
            number("", "Q² or R²", left_out),
            number("", "RMSE", rmse),
            number("", "largest error", worst),
            number("", "mean error", percent, 2, "%"),
            text("", "inside " + level_text(q.level) + " interval", std::move(inside))};
  };
  const auto share = [](double s) { return std::isfinite(s) ? fmt::format("{:.0f} %", 100 * s) : ""; };
  Rows out = {
      line(fmt::format("{} fitted runs", q.runs), q.r2, NAN, q.rmse, q.max_abs_error, q.mean_abs_percent, ""),
      line(fmt::format("cross-validated, {} folds{}", q.folds,
                       q.folds_refitted ? "" : ", lengths of kriging kept"),
           NAN, q.q2, q.rmse_cv, NAN, NAN, share(more.left_out_inside))};
  if (q.check)
    out.push_back(line(fmt::format("{} check runs", q.check->runs), NAN, q.check->r2, q.check->rmse,
                       q.check->max_abs_error, q.check->mean_abs_percent,
                       share(q.check->inside) + (std::isfinite(more.calibrated_inside)
                                                     ? " (calibrated " + share(more.calibrated_inside) + ")"
                                                     : "")));
  return out;
}

std::string quality_table(const Quality& q, const QualityOnRuns& more) {
  return table_of(quality_rows(q, more));
}

std::string kind_and_detail(const ModelResult& m) {
  return m.detail.empty() ? m.kind : m.kind + " (" + m.detail + ")";
}

std::string verdict_sentence(const Study& study, const ModelResult& m) {
  const Response& r = study.responses[study.response(m.response)];
  return fmt::format("{}: {}. {} on {} runs, typically {} {}off (cross-validated RMSE).\n", r.title(),
                     name(m.judgement.verdict), kind_and_detail(m), m.runs, pretty(m.quality.rmse_cv, 3),
                     r.unit.empty() ? "" : r.unit + " ");
}

}  // namespace renth
