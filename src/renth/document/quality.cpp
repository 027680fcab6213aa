#include <fmt/format.h>

#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/quality.hpp>

namespace renth {

Json quality_document(const Quality& q, const Axis* axis) {
  Json out = {{"r2", json_number(q.r2)},
              {"r2_adjusted", json_number(q.r2_adjusted)},
              {"r2_predicted", json_number(q.r2_predicted)},
              {"press", json_number(q.press)},
              {"sigma", json_number(q.sigma)},
              {"rmse", json_number(q.rmse)},
              {"max_abs_error", json_number(q.max_abs_error)},
              {"mean_abs_percent", json_number(q.mean_abs_percent)},
              {"q2", json_number(q.q2)},
              {"rmse_cv", json_number(q.rmse_cv)},
              {"folds", q.folds}};
  Json along = Json::array();
  for (std::size_t k = 0; k < q.along.size(); ++k)
    along.push_back({{"at", axis ? json_number(axis->points[k]) : Json(nullptr)},
                     {"r2", json_number(q.along[k].r2)},
                     {"q2", json_number(q.along[k].q2)},
                     {"rmse", json_number(q.along[k].rmse)}});
  out["along"] = along;
  if (q.check)
    out["check"] = {{"runs", q.check->runs},
                    {"r2", json_number(q.check->r2)},
                    {"rmse", json_number(q.check->rmse)},
                    {"max_abs_error", json_number(q.check->max_abs_error)},
                    {"mean_abs_percent", json_number(q.check->mean_abs_percent)},
                    {"inside", json_number(q.check->inside)}};
  else
    out["check"] = nullptr;
  return out;
}

std::string verdict_sentence(const Study& study, const ModelResult& m) {
  const Response& r = study.responses[study.response(m.response)];
  return fmt::format("{}: {}. {}{} on {} runs, typically {} {}off (cross-validated RMSE).\n", r.title(),
                     name(m.judgement.verdict), m.kind, m.detail.empty() ? "" : " (" + m.detail + ")", m.runs,
                     pretty(m.quality.rmse_cv, 3), r.unit.empty() ? "" : r.unit + " ");
}

}  // namespace renth
