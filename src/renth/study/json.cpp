#include <fmt/format.h>

#include <cmath>
#include <renth/study/json.hpp>

namespace renth {

Json json_number(double value) {
  return std::isfinite(value) ? Json(value) : Json(nullptr);
}

Json json_texts(const std::vector<std::string>& list) {
  Json out = Json::array();
  for (const std::string& t : list) out.push_back(t);
  return out;
}

namespace {

Json value(const Value& v) {
  return std::visit([](const auto& x) { return Json(x); }, v);
}
Json settings(const Study& study, const Settings& s) {
  Json out = Json::object();
  for (const std::string& key : study.order)
    if (const auto found = s.find(key); found != s.end()) out[key] = value(found->second);
  for (const auto& [key, v] : s)  // parameters that the study no longer has
    if (!out.contains(key)) out[key] = value(v);
  return out;
}
Json list(const std::vector<double>& values) {
  Json out = Json::array();
  for (const double v : values) out.push_back(json_number(v));
  return out;
}
/// One number for a single response, a list for a curve.
Json scalar_or_list(const Study& study, const std::string& response, const std::vector<double>& values) {
  const int index = study.response(response);
  if (values.empty()) return nullptr;
  return index >= 0 && study.responses[index].axis >= 0 ? list(values) : json_number(values[0]);
}
Json bounds(const Study& study, const std::string& response, const std::vector<double>& low,
            const std::vector<double>& high) {
  if (low.empty()) return nullptr;
  const int index = study.response(response);
  if (index < 0 || study.responses[index].axis < 0)
    return std::isfinite(low[0]) ? Json{low[0], high[0]} : Json(nullptr);
  Json out = Json::array();
  for (std::size_t i = 0; i < low.size(); ++i) out.push_back(Json{json_number(low[i]), json_number(high[i])});
  return out;
}

}  // namespace

Json json_point(const Study& study, const Eigen::VectorXd& point) {
  return settings(study, study.settings(point));
}

Json notes_document(const Notes& notes) {
  Json out = Json::array();
  for (const Note& n : notes) out.push_back({{"code", n.code}, {"text", n.text}});
  return out;
}

Json to_document(const Study& study, const RunsResult& r) {
  Json runs = Json::array();
  for (const Run& run : r.runs) {
    Json responses = Json::object();
    for (const Response& response : study.responses) {
      const auto found = run.responses.find(response.name);
      if (found != run.responses.end())
        responses[response.name] = scalar_or_list(study, response.name, [&] {
          const Axis* axis = study.axis_of(response);
          std::vector<double> y;
          if (!axis) return found->second.values;
          for (const double point : axis->points) {
            const auto at = std::find(found->second.axis.begin(), found->second.axis.end(), point);
            y.push_back(
                at == found->second.axis.end() ? NAN : found->second.values[at - found->second.axis.begin()]);
          }
          return y;
        }());
    }
    for (const auto& [key, output] : run.responses)  // responses that the study no longer has
      if (study.response(key) < 0)
        responses[key] = output.values.size() == 1 ? json_number(output.values[0]) : list(output.values);
    Json aside = nullptr;
    if (run.set_aside)
      aside = *run.set_aside;
    else if (!run.response_set_aside.empty())
      aside = Json(run.response_set_aside);
    runs.push_back({{"id", run.id},
                    {"batch", run.batch},
                    {"use", run.use},
                    {"origin", run.origin},
                    {"block", run.block},
                    {"status", std::string(name(run.status))},
                    {"set_aside", aside},
                    {"point", settings(study, run.settings)},
                    {"responses", responses},
                    {"message", run.message},
                    {"seconds", run.seconds}});
  }
  return {{"runs", runs}, {"notes", notes_document(r.notes)}};
}

Json to_document(const Study&, const RunSummary& r) {
  Json failures = Json::array();
  for (const auto& [id, message] : r.failures) failures.push_back({{"id", id}, {"message", message}});
  return {{"done", r.done},           {"partial", r.partial}, {"failed", r.failed},
          {"left", r.left},           {"adopted", r.adopted}, {"copied", r.copied},
          {"submitted", r.submitted}, {"queued", r.queued},   {"scheduler_calls", r.scheduler_calls},
          {"stopped", r.stopped},     {"failures", failures}, {"notes", notes_document(r.notes)}};
}

Json to_document(const Study& study, const DryRun& r) {
  Json calls = Json::array();
  for (const DryRun::OfCall& c : r.calls) {
    Json inputs = Json::array();
    for (const auto& [file, text] : c.inputs) inputs.push_back({{"file", file}, {"text", text}});
    const Json at = c.point < 0 ? Json(nullptr) : Json(study.axes[study.solver.per].points[c.point]);
    calls.push_back(
        {{"id", c.run}, {"at", at}, {"folder", c.folder}, {"command", c.command}, {"inputs", inputs}});
  }
  return {{"runs", calls}, {"jobs", r.jobs}, {"notes", notes_document(r.notes)}};
}

Json to_document(const Study& study, const JournalResult& r) {
  Json entries = Json::array();
  for (const JournalEntry& e : r.entries) {
    const Json at = e.point < 0 || study.solver.per < 0
                        ? Json(nullptr)
                        : Json(study.axes[study.solver.per].points.at(e.point));
    entries.push_back({{"id", e.run},
                       {"at", at},
                       {"attempt", e.attempt},
                       {"started", json_number(e.started)},
                       {"seconds", e.seconds},
                       {"peak_memory", e.peak_memory > 0 ? Json(e.peak_memory) : Json(nullptr)},
                       {"host", e.host},
                       {"user", e.user},
                       {"command", Json::parse(e.command, nullptr, false)},
                       {"inputs_sha256", Json::parse(e.inputs, nullptr, false)},
                       {"outcome", e.outcome}});
  }
  return {{"journal", entries}, {"notes", notes_document(r.notes)}};
}

Json to_document(const Study& study, const FailuresResult& r) {
  Json reasons = Json::array(), rule = nullptr;
  const int all = r.done + r.failed;
  for (const FailuresResult::Reason& reason : r.reasons)
    reasons.push_back({{"reason", reason.text},
                       {"share", static_cast<double>(reason.runs.size()) / all},
                       {"runs", reason.runs}});
  if (r.rule) {
    rule = {{"fails_where", r.rule_text},
            {"failed", r.rule->failed},
            {"failed_inside", r.rule->failed_inside},
            {"done", r.rule->done},
            {"done_inside", r.rule->done_inside},
            {"failed_found", r.rule->found},
            {"done_wrong", r.rule->wrong},
            {"separation", r.rule->separation()},
            {"pair", {study.space[r.rule->pair.first].name, study.space[r.rule->pair.second].name}},
            {"limit", r.limit_text.empty() ? Json(nullptr) : Json(r.limit_text)},
            {"verdict", r.sentence}};
  }
  return {{"done", r.done},
          {"failed", r.failed},
          {"partial", r.partial},
          {"share", all > 0 ? Json(r.share) : Json(nullptr)},
          {"interval", all > 0 ? Json{r.low, r.high} : Json(nullptr)},
          {"reasons", reasons},
          {"rule", rule},
          {"notes", notes_document(r.notes)}};
}

Json to_document(const Study&, const SampleCheck& r) {
  Json values = Json::object();
  for (const auto& [response, v] : r.values) values[response] = v.size() == 1 ? json_number(v[0]) : list(v);
  return {
      {"file", r.file}, {"responses", values}, {"problems", r.problems}, {"notes", notes_document(r.notes)}};
}

Json to_document(const Study& study, const RankResult& r) {
  Json responses = Json::array();
  for (const auto& one : r.responses) {
    Json parameters = Json::array(), pairs = Json::array();
    for (const RankedParameter& p : one.ranking.parameters)
      parameters.push_back({{"parameter", study.space[p.parameter].name},
                            {"share", json_number(p.share)},
                            {"low", json_number(p.low)},
                            {"high", json_number(p.high)},
                            {"first", json_number(p.first)},
                            {"total", json_number(p.total)},
                            {"direction", p.direction}});
    for (const RankedPair& p : one.ranking.interactions)
      pairs.push_back({{"pair", {study.space[p.a].name, study.space[p.b].name}},
                       {"share", json_number(p.share)},
                       {"low", json_number(p.low)},
                       {"high", json_number(p.high)}});
    responses.push_back({{"response", one.response},
                         {"method", one.ranking.method},
                         {"basis", one.basis},
                         {"parameters", parameters},
                         {"interactions", pairs},
                         {"unexplained", json_number(one.ranking.unexplained)}});
  }
  return {{"responses", responses}, {"notes", notes_document(r.notes)}};
}

namespace {

Json predicted(const Study& study, const PredictedPoint& p) {
  Json responses = Json::object();
  for (const PredictedResponse& r : p.responses)
    responses[r.response] = {{"mean", scalar_or_list(study, r.response, r.mean)},
                             {"sd", scalar_or_list(study, r.response, r.sd)},
                             {"confidence", bounds(study, r.response, r.confidence_low, r.confidence_high)},
                             {"prediction", bounds(study, r.response, r.prediction_low, r.prediction_high)},
                             {"calibrated", bounds(study, r.response, r.calibrated_low, r.calibrated_high)},
                             {"inside", p.inside}};
  return responses;
}

}  // namespace

Json to_document(const Study& study, const PredictResult& r) {
  Json predictions = Json::array();
  Notes notes = r.notes;
  bool uncalibrated = false;
  for (const PredictedPoint& p : r.predictions) {
    predictions.push_back({{"point", json_point(study, p.point)}, {"responses", predicted(study, p)}});
    for (const PredictedResponse& one : p.responses)
      uncalibrated = uncalibrated || one.calibrated_low.empty();
  }
  if (uncalibrated)
    notes.push_back(
        {"not_calibrated",
         "calibrated is null for derived responses and where there are too few runs for the level"});
  return {{"predictions", predictions}, {"notes", notes_document(notes)}};
}

Json to_document(const Study& study, const ExtremesResult& r) {
  Json responses = Json::array();
  const auto side = [&](const Maximum& m) {
    return Json{{"value", json_number(m.value)}, {"point", json_point(study, m.point)}};
  };
  for (const auto& one : r.responses)
    responses.push_back({{"response", one.response},
                         {"min", side(one.extremes.smallest)},
                         {"max", side(one.extremes.largest)}});
  return {{"responses", responses}, {"notes", notes_document(r.notes)}};
}

Json to_document(const Study& study, const SeekOutcome& r) {
  Json proposals = Json::array();
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    const Proposal& p = r.result.proposals[i];
    Json responses = Json::object();
    for (const PredictedResponse& one : r.predicted[i].responses) {
      double desirability = NAN;
      for (std::size_t g = 0; g < r.goal_response.size(); ++g)
        if (study.responses[r.goal_response[g]].name == one.response) desirability = p.of_goal[g];
      responses[one.response] = {
          {"mean", scalar_or_list(study, one.response, one.mean)},
          {"sd", scalar_or_list(study, one.response, one.sd)},
          {"prediction", bounds(study, one.response, one.prediction_low, one.prediction_high)},
          {"desirability", json_number(desirability)},
          {"within", r.within[i].at(one.response)}};
    }
    proposals.push_back({{"rank", i + 1},
                         {"point", json_point(study, p.point)},
                         {"desirability", json_number(p.desirability)},
                         {"limited_by", json_texts(p.limited_by)},
                         {"inside", r.predicted[i].inside},
                         {"responses", responses}});
  }
  Notes notes = r.notes;
  notes.push_back({"front", "front and near_best are null: this version does not compute them"});
  return {{"feasible", r.result.feasible},
          {"proposals", proposals},
          {"front", nullptr},
          {"near_best", nullptr},
          {"notes", notes_document(notes)}};
}

Json to_document(const Study& study, const ConfirmResult& r) {
  Json proposals = Json::array();
  for (const auto& p : r.proposals) {
    Json responses = Json::object();
    for (const auto& one : p.responses)
      responses[one.response] = {
          {"predicted", json_number(one.predicted)},
          {"prediction", std::isfinite(one.low) ? Json{one.low, one.high} : Json(nullptr)},
          {"computed", one.computed ? json_number(*one.computed) : Json(nullptr)},
          {"error_percent", one.error_percent ? json_number(*one.error_percent) : Json(nullptr)},
          {"inside", one.inside ? Json(*one.inside) : Json(nullptr)}};
    proposals.push_back({{"rank", p.rank},
                         {"run", p.run},
                         {"status", p.status},
                         {"point", json_point(study, p.point)},
                         {"responses", responses}});
  }
  return {{"proposals", proposals}, {"notes", notes_document(r.notes)}};
}

Json to_document(const Study& study, const CheckResult& r) {
  Json parameters = Json::array(), responses = Json::array(), limits = Json::array();
  for (const Parameter& p : study.space.parameters()) {
    Json one = {{"name", p.name}, {"unit", p.unit}};
    if (p.is_choice())
      one["choices"] = p.choices;
    else
      one["span"] = {p.low, p.high};
    if (p.kind == Parameter::Kind::levels)
      one["levels"] = p.values;
    else if (!p.values.empty())
      one["sizes"] = p.values;
    if (p.step > 0) one["step"] = p.step;
    one["nominal"] = p.is_choice() ? Json(p.choices[static_cast<std::size_t>(p.nominal)]) : Json(p.nominal);
    parameters.push_back(one);
  }
  for (const FixedParameter& f : study.fixed)
    parameters.push_back({{"name", f.name}, {"unit", f.unit}, {"fixed", value(f.value)}});
  for (const Response& x : study.responses)
    responses.push_back({{"name", x.name},
                         {"unit", x.unit},
                         {"along", x.axis >= 0 ? Json(study.axes[x.axis].name) : Json(nullptr)},
                         {"derive", x.derive ? Json(x.derive->text()) : Json(nullptr)}});
  for (const Limit& l : study.space.limits()) limits.push_back(l.text);
  return {{"name", study.name},
          {"seed", study.seed},
          {"parameters", parameters},
          {"limits", limits},
          {"feasible_share", r.feasible_share},
          {"responses", responses},
          {"suggested_runs", r.suggested},
          {"runs",
           {{"planned", r.planned},
            {"running", r.running},
            {"done", r.done},
            {"failed", r.failed},
            {"set_aside", r.set_aside}}},
          {"notes", notes_document(r.notes)}};
}

}  // namespace renth
