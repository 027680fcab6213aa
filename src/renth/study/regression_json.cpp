#include <cmath>
#include <renth/study/equation.hpp>
#include <renth/study/regression_json.hpp>

namespace renth {
namespace {

Json terms_of(const Study& study, const ModelResult& m) {
  Json out = Json::array();
  for (const Coefficient& c : m.coefficients)
    out.push_back({{"term", name(study.space, c.term)},
                   {"coefficient", json_number(c.value)},
                   {"std_error", json_number(c.std_error)},
                   {"t", json_number(c.t)},
                   {"p", json_number(c.p)},
                   {"low", json_number(c.low)},
                   {"high", json_number(c.high)},
                   {"vif", json_number(c.vif)},
                   {"standardised", json_number(c.standardised)}});
  return out;
}

Json anova_of(const Anova& anova) {
  Json out = Json::array();
  for (const AnovaRow& r : anova.rows)
    out.push_back({{"source", r.source},
                   {"df", static_cast<int>(r.df)},
                   {"ss", json_number(r.ss)},
                   {"ss_sequential", json_number(r.ss_sequential)},
                   {"ms", json_number(r.ms)},
                   {"f", json_number(r.f)},
                   {"p", json_number(r.p)},
                   {"share", json_number(r.share)}});
  return out;
}

Json coded_direction(const Study& study, const CanonicalAnalysis& s, const Eigen::VectorXd& direction) {
  Json out = Json::object();
  for (std::size_t i = 0; i < s.parameters.size(); ++i)
    out[study.space[s.parameters[i]].name] = direction[Eigen::Index(i)];
  return out;
}

Json path_of(const Study& study, const std::vector<RidgePoint>& path) {
  Json out = Json::array();
  for (const RidgePoint& r : path)
    out.push_back({{"radius", r.radius},
                   {"point", json_point(study, r.point)},
                   {"value", r.value},
                   {"sd", json_number(r.sd)},
                   {"inside", r.inside}});
  return out;
}

Json stationary_of(const Study& study, const CanonicalAnalysis& s) {
  Json eigen = Json::array();
  for (const auto& axis : s.axes)
    eigen.push_back({{"value", axis.value},
                     {"low", json_number(axis.low)},
                     {"high", json_number(axis.high)},
                     {"direction", coded_direction(study, s, axis.direction)}});
  const bool one = s.point.size() > 0;
  return {{"point", one ? json_point(study, s.point) : Json(nullptr)},
          {"kind", s.kind},
          {"value", one ? json_number(s.value) : Json(nullptr)},
          {"sd", one ? json_number(s.sd) : Json(nullptr)},
          {"inside", one ? Json(s.inside) : Json(nullptr)},
          {"eigen", eigen}};
}

Json test_of(const std::string& test, const TestResult& r) {
  return {{"test", test}, {"statistic", json_number(r.statistic)}, {"p", json_number(r.p)}};
}

Json box_cox_of(const std::optional<BoxCox>& b) {
  if (!b) return nullptr;
  Json profile = Json::array();
  for (const BoxCox::Point& p : b->profile)
    profile.push_back({{"lambda", p.lambda}, {"log_likelihood", json_number(p.log_likelihood)}});
  return {{"lambda", b->lambda},
          {"low", b->low},
          {"high", b->high},
          {"suggestion", b->suggestion},
          {"profile", profile}};
}

}  // namespace

/// Observed and predicted in the response's own unit; what is studentised belongs to the fitted scale.
Json standouts_document(const ModelResult& m) {
  const Diagnostics& d = m.quality.regression->diagnostics;
  Json out = Json::array();
  const Transform& back = m.polynomial->state().transform;
  for (const Standout& s : d.standouts) {
    const Eigen::Index i = s.row;
    const double observed = back.back(d.fitted[i] + d.residual[i]), predicted = back.back(d.fitted[i]);
    out.push_back({{"id", m.ids[std::size_t(i)]},
                   {"observed", observed},
                   {"predicted", predicted},
                   {"residual", observed - predicted},
                   {"residual_internal", json_number(d.internal[i])},
                   {"residual_external", json_number(d.external[i])},
                   {"leverage", d.leverage[i]},
                   {"cook", json_number(d.cook[i])},
                   {"why", s.why}});
  }
  return out;
}

void add_regression(const Study& study, const ModelResult& m, Json& out) {
  const RegressionReport& r = *m.quality.regression;
  Json natural = Json::array(), effects = Json::array(), dropped = Json::array(), steps = Json::array(),
       kept = Json::array(), contrasts = Json::object();
  for (std::size_t t = 0; t < m.natural.terms.size(); ++t)
    natural.push_back({{"term", name(study.space, m.natural.terms[t])},
                       {"coefficient", json_number(m.natural.coefficients[Eigen::Index(t)])}});
  for (const Effect& e : r.effects)
    effects.push_back(
        {{"term", e.term}, {"effect", json_number(e.value)}, {"t", json_number(e.t)}, {"active", e.active}});
  for (const ChoiceStep& s : m.selection.steps) {
    const Json step = s.step > 0 ? Json(s.step) : Json(nullptr);
    if (!s.added)
      dropped.push_back({{"step", step}, {"term", s.term}, {"p", json_number(s.p)}, {"rule", s.rule}});
    if (s.step > 0)
      steps.push_back({{"step", step},
                       {"action", s.added ? "add" : "drop"},
                       {"term", s.term},
                       {"p", json_number(s.p)},
                       {"criterion", json_number(s.criterion)},
                       {"rule", s.rule}});
  }
  for (const auto& k : m.selection.kept)
    kept.push_back({{"term", k.term}, {"p", json_number(k.p)}, {"because", k.because}});
  for (const auto& [contrast, values] : contrast_values(study.space, m.natural.terms)) {
    Json of = Json::object();
    for (const auto& [choice, value] : values) of[choice] = value;
    contrasts[contrast] = of;
  }
  const Diagnostics& d = r.diagnostics;
  out["terms"] = terms_of(study, m);
  out["natural_terms"] = natural;
  out["anova"] = anova_of(r.anova);
  out["equation"] = equation(study, m, {});
  out["dropped"] = dropped;
  out["stationary"] = m.surface ? stationary_of(study, *m.surface) : Json(nullptr);
  out["standouts"] = standouts_document(m);
  out["degrees_of_freedom"] = m.polynomial->state().degrees_of_freedom;
  out["transform"] =
      m.polynomial->state().transform.none() ? Json(nullptr) : Json(m.polynomial->state().transform.lambda);
  out["weights"] = m.weights.empty() ? Json(nullptr) : Json(m.weights);
  out["contrasts"] = contrasts;
  out["steps"] = steps;
  out["kept"] = kept;
  out["effects"] = effects;
  out["lenth"] = {{"pseudo_error", json_number(r.lenth.pseudo_error)},
                  {"df", json_number(r.lenth.degrees_of_freedom)},
                  {"margin", json_number(r.lenth.margin)},
                  {"simultaneous_margin", json_number(r.lenth.simultaneous_margin)}};
  out["tests"] = {{"normality", test_of(d.normality_test, d.normality)},
                  {"constant_variance", test_of("Breusch–Pagan", d.variance)},
                  {"order", test_of("Durbin–Watson", d.order)}};
  out["box_cox"] = box_cox_of(r.box_cox);
  out["ridge_path"] = m.surface ? Json{{"highest", path_of(study, m.surface->highest)},
                                       {"lowest", path_of(study, m.surface->lowest)}}
                                : Json(nullptr);
}

}  // namespace renth
