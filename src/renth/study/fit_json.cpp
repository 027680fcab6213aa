#include <renth/study/json.hpp>
#include <renth/study/regression_json.hpp>

namespace renth {
namespace {

Json quality(const Quality& q, const Axis* axis) {
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
              {"quality", quality(m.quality, study.axis_of(r))},
              {"tried", tried},
              {"settings", m.chosen_settings},
              {"detail", m.detail},
              {"idle", m.idle}};
  if (m.polynomial) add_regression(study, m, out);
  return out;
}

}  // namespace

Json to_document(const Study& study, const FitResult& r) {
  Json models = Json::array();
  for (const ModelResult& m : r.models) models.push_back(model(study, m));
  return {{"models", models}, {"notes", notes_document(r.notes)}};
}

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
                         {"quality", quality(one.model.quality, study.axis_of(response))},
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

Json to_document(const Study&, const RefineResult& r) {
  const auto figures = [](const std::map<std::string, double>& q2) {
    Json out = Json::object();
    for (const auto& [name, value] : q2) out[name] = json_number(value);
    return out;
  };
  Json rounds = Json::array();
  for (const RefineRound& round : r.rounds)
    rounds.push_back({{"round", round.round},
                      {"batch", round.batch},
                      {"runs", round.runs},
                      {"failed", round.failed},
                      {"q2_before", figures(round.q2_before)},
                      {"q2", figures(round.q2)},
                      {"best_error_percent", json_number(round.best_error_percent)}});
  Json verdicts = Json::object();
  for (const auto& [name, verdict] : r.verdicts) verdicts[name] = std::string(renth::name(verdict));
  return {{"strategy", r.strategy},
          {"reached", r.reached},
          {"stopped", r.stopped},
          {"spent", r.spent},
          {"budget", r.budget},
          {"failed", r.failed},
          {"why", r.why},
          {"q2", figures(r.q2)},
          {"verdicts", verdicts},
          {"rounds", rounds},
          {"notes", notes_document(r.notes)}};
}

}  // namespace renth
