#include <renth/study/json.hpp>

namespace renth {
namespace {

Json vector(const Eigen::VectorXd& values) {
  Json out = Json::array();
  for (const double v : values) out.push_back(json_number(v));
  return out;
}

Json assessment(const Study& study, const Assessment& a) {
  const Information& i = a.information;
  Json terms = Json::array(), fraction = Json::array(), aliases = Json::array();
  for (std::size_t t = 0; t < a.terms.size(); ++t) {
    const auto at = Eigen::Index(t);
    terms.push_back({{"term", name(study.space, a.terms[t])},
                     {"vif", json_number(i.vif[at])},
                     {"std_error_per_sigma", json_number(i.std_error[at])},
                     {"power", {{"1", json_number(a.power1[at])}, {"2", json_number(a.power2[at])}}}});
  }
  for (const auto& [share, variance] : a.variance.fraction)
    fraction.push_back({{"share", share}, {"variance", json_number(variance)}});
  for (const Alias& x : a.aliases)
    aliases.push_back({{"term", x.term}, {"with", x.with}, {"correlation", x.correlation}});
  const bool some = !a.variance.fraction.empty();
  const auto or_null = [&](double v) { return some ? json_number(v) : Json(nullptr); };
  Json variance = {
      {"min", or_null(a.variance.min)}, {"mean", or_null(a.variance.mean)}, {"max", or_null(a.variance.max)}};
  if (some) variance["max_at"] = json_point(study, a.variance.max_at);
  variance["fraction"] = fraction;
  return {{"runs", a.runs},
          {"model", describe(study.space, a.terms)},
          {"terms", terms},
          {"log_det", json_number(i.log_det)},
          {"d_efficiency", json_number(i.d_efficiency)},
          {"a_efficiency", json_number(i.a_efficiency)},
          {"g_efficiency", json_number(a.g_efficiency)},
          {"i_value", json_number(i.i_value)},
          {"max_vif", json_number(i.max_vif)},
          {"condition", json_number(i.condition)},
          {"leverage", vector(i.leverage)},
          {"prediction_variance", variance},
          {"space",
           {{"min_distance", json_number(a.evenness.min_distance)},
            {"mean_distance", json_number(a.evenness.mean_distance)},
            {"mean_nearest_distance", json_number(a.evenness.mean_nearest)},
            {"discrepancy_l2_centred", json_number(a.evenness.discrepancy)},
            {"max_abs_correlation", json_number(a.evenness.max_abs_correlation)}}},
          {"aliases", aliases},
          {"block_correlation", a.block_correlation}};
}

Json named(const Study& study, const std::string& name, const Assessment& a) {
  Json out = {{"batch", name}};
  const Json figures = assessment(study, a);
  for (const auto& [key, value] : figures.items()) out[key] = value;
  return out;
}

}  // namespace

Json to_document(const Study& study, const PlanResult& r) {
  Json runs = Json::array();
  for (Eigen::Index i = 0; i < r.plan.size(); ++i)
    runs.push_back({{"id", r.ids.empty() ? Json(nullptr) : Json(r.ids[std::size_t(i)])},
                    {"origin", r.plan.origins[std::size_t(i)]},
                    {"block", r.plan.blocks[i]},
                    {"point", json_point(study, r.plan.points.row(i).transpose())}});
  Json out = {{"batch", r.batch.name}, {"use", r.batch.use}, {"method", r.batch.method},
              {"seed", r.batch.seed},  {"runs", runs},       {"stored", r.stored}};
  if (!r.why.empty()) out["why"] = r.why;
  if (!r.model.empty()) out["model"] = r.model;
  if (r.sweep) {
    Json lines = Json::array();
    for (const SweepLine& l : r.sweep->lines)
      lines.push_back({{"runs", l.runs},
                       {"log_det", json_number(l.log_det)},
                       {"d_efficiency", json_number(l.d_efficiency)},
                       {"a_efficiency", json_number(l.a_efficiency)},
                       {"g_efficiency", json_number(l.g_efficiency)},
                       {"i_value", json_number(l.i_value)},
                       {"max_vif", json_number(l.max_vif)}});
    out["sweep"] = lines;
    out["knee"] = r.sweep->knee;
    out["suggested"] = r.sweep->suggested;
    out["why_suggested"] = r.sweep->why;
  } else {
    out["space"] = {{"min_distance", json_number(r.evenness.min_distance)},
                    {"mean_distance", json_number(r.evenness.mean_distance)},
                    {"mean_nearest_distance", json_number(r.evenness.mean_nearest)},
                    {"discrepancy_l2_centred", json_number(r.evenness.discrepancy)},
                    {"max_abs_correlation", json_number(r.evenness.max_abs_correlation)}};
  }
  if (r.from_fit_runs) out["min_distance_to_fit_runs"] = json_number(*r.from_fit_runs);
  if (r.before) out["before"] = named(study, r.batch.name, *r.before);
  if (r.assessment) out["assessment"] = named(study, r.batch.name, *r.assessment);
  out["notes"] = notes_document(r.notes);
  return out;
}

Json to_document(const Study& study, const AssessResult& r) {
  Json out = named(study, r.plans[0].name, r.plans[0].assessment);
  if (r.plans.size() > 1) {
    out["against"] = Json::array();
    for (std::size_t k = 1; k < r.plans.size(); ++k)
      out["against"].push_back(named(study, r.plans[k].name, r.plans[k].assessment));
  }
  out["notes"] = notes_document(r.notes);
  return out;
}

}  // namespace renth
