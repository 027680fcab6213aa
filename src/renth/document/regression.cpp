#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/regression.hpp>
#include <renth/surrogate/equation_text.hpp>
#include <renth/surrogate/polynomial.hpp>
#include <renth/surrogate/transform.hpp>
#include <renth/terms/contrast_values.hpp>

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

namespace {

/// Terms in and out, and why: dropped, steps and kept.
void add_choice(const TermSelection& selection, Json& out) {
  Json dropped = Json::array(), steps = Json::array(), kept = Json::array();
  for (const ChoiceStep& s : selection.steps) {
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
  for (const auto& k : selection.kept)
    kept.push_back({{"term", k.term}, {"p", json_number(k.p)}, {"because", k.because}});
  out["dropped"] = dropped;
  out["steps"] = steps;
  out["kept"] = kept;
}

Json natural_terms_of(const Study& study, const NaturalPolynomial& polynomial) {
  Json out = Json::array();
  for (std::size_t t = 0; t < polynomial.terms.size(); ++t)
    out.push_back({{"term", name(study.space, polynomial.terms[t])},
                   {"coefficient", json_number(polynomial.coefficients[Eigen::Index(t)])}});
  return out;
}

Json contrasts_of(const Study& study, const Terms& terms) {
  Json out = Json::object();
  for (const auto& [contrast, values] : contrast_values(study.space, terms)) {
    Json of = Json::object();
    for (const auto& [choice, value] : values) of[choice] = value;
    out[contrast] = of;
  }
  return out;
}

Json effects_of(const RegressionReport& r) {
  Json out = Json::array();
  for (const Effect& e : r.effects)
    out.push_back(
        {{"term", e.term}, {"effect", json_number(e.value)}, {"t", json_number(e.t)}, {"active", e.active}});
  return out;
}

}  // namespace

void add_regression(const Study& study, const ModelResult& m, Json& out) {
  const RegressionReport& r = *m.quality.regression;
  const Polynomial::State& s = m.polynomial->state();
  const Diagnostics& d = r.diagnostics;
  out["terms"] = terms_of(study, m);
  out["natural_terms"] = natural_terms_of(study, m.natural);
  out["anova"] = anova_of(r.anova);
  out["equation"] = equation_text(study.space, m.response, s.transform, m.natural, 17);
  add_choice(m.selection, out);
  out["stationary"] = m.surface ? stationary_of(study, *m.surface) : Json(nullptr);
  out["standouts"] = standouts_document(m);
  out["degrees_of_freedom"] = s.degrees_of_freedom;
  out["transform"] = s.transform.none() ? Json(nullptr) : Json(s.transform.lambda);
  out["weights"] = m.weights.empty() ? Json(nullptr) : Json(m.weights);
  out["contrasts"] = contrasts_of(study, m.natural.terms);
  out["effects"] = effects_of(r);
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

namespace {

std::string p_text(double p) {
  return std::isnan(p) ? "–" : p < 1e-4 ? "< 0.0001" : fmt::format("{:.4f}", p);
}

std::string coefficient_lines(const Study& study, const ModelResult& m) {
  TextTable table({"term", "coefficient", "std error", "t", "p", "low", "high", "VIF", "standardised"});
  for (const Coefficient& c : m.coefficients)
    table.text(name(study.space, c.term))
        .number(c.value, 6)
        .number(c.std_error)
        .number(c.t)
        .text(p_text(c.p))
        .number(c.low, 5)
        .number(c.high, 5)
        .number(c.vif, 3)
        .number(c.standardised, 3)
        .end_row();
  return "Coefficients in coded units (−1 … +1):\n" + table.str();
}

std::string anova_lines(const Anova& anova) {
  TextTable table({"source", "df", "sum of squares", "sequential", "mean square", "F", "p", "share [%]"});
  for (const AnovaRow& r : anova.rows) {
    // Groups stand under the model, parts of the residual under it.
    const bool head =
        r.source == "model" || r.source == "blocks" || r.source == "residual" || r.source == "total";
    table.text((head ? "" : "  ") + r.source)
        .text(fmt::format("{:g}", r.df))
        .number(r.ss, 5)
        .number(r.ss_sequential, 5)
        .number(r.ms, 5)
        .number(r.f)
        .text(p_text(r.p))
        .number(100 * r.share, 4)
        .end_row();
  }
  return "\nAnalysis of variance:\n" + table.str();
}

std::string choice_lines(const ModelResult& m) {
  if (m.selection.steps.empty() && m.selection.kept.empty()) return "";
  std::string out = "\nChoice of terms:\n";
  for (const ChoiceStep& s : m.selection.steps)
    out += s.step > 0 ? fmt::format("  {:>2}. {} {}: p = {}, {}\n", s.step, s.added ? "add " : "drop", s.term,
                                    p_text(s.p), s.rule)
                      : fmt::format("  out: {}: p = {}, {}\n", s.term, p_text(s.p), s.rule);
  for (const auto& k : m.selection.kept)
    out += fmt::format("  {} stays although p = {}: {}\n", k.term, p_text(k.p), k.because);
  return out;
}

std::string surface_lines(const Study& study, const ModelResult& m) {
  if (!m.surface) return m.no_surface.empty() ? "" : "\nSurface: " + m.no_surface + ".\n";
  const CanonicalAnalysis& s = *m.surface;
  std::string out = "\nSurface: ";
  if (s.point.size() > 0)
    out += fmt::format("{} of {} at {}, {} spans and limits.\n", s.kind, pretty(s.value, 5),
                       describe(study.space, s.point), s.inside ? "inside" : "OUTSIDE");
  else
    out += "a ridge without a single flat point.\n";
  for (const auto& axis : s.axes) {
    std::string direction;
    for (std::size_t i = 0; i < s.parameters.size(); ++i)
      if (std::abs(axis.direction[Eigen::Index(i)]) >= 0.05)
        direction +=
            fmt::format(" {}{:.2f} {}",
                        axis.direction[Eigen::Index(i)] < 0 ? "− "
                        : direction.empty()                 ? ""
                                                            : "+ ",
                        std::abs(axis.direction[Eigen::Index(i)]), study.space[s.parameters[i]].name);
    const std::string bounds =
        axis.low < axis.high ? fmt::format(" ({} … {})", pretty(axis.low, 3), pretty(axis.high, 3)) : "";
    out += fmt::format("  curvature {}{} along{}\n", pretty(axis.value), bounds, direction);
  }
  if (!s.note.empty()) out += "  " + s.note + "\n";
  const bool least = study.responses[study.response(m.response)].goal == Goal::Aim::minimise;
  TextTable path([&] {
    std::vector<std::string> header = {"distance", least ? "lowest" : "highest", "sd"};
    for (const std::string& h : parameter_headers(study)) header.push_back(h);
    header.push_back("");
    return header;
  }());
  const auto& points = least ? s.lowest : s.highest;
  for (std::size_t i = 0; i < points.size(); i += 2) {
    path.number(points[i].radius, 3).number(points[i].value, 5).number(points[i].sd, 3);
    add_point(path, study, points[i].point);
    path.text(points[i].inside ? "" : "outside").end_row();
  }
  return out + fmt::format("  the {} by coded distance from the middle:\n", least ? "lowest" : "highest") +
         path.str();
}

std::string residual_lines(const ModelResult& m) {
  const Diagnostics& d = m.quality.regression->diagnostics;
  std::string out = "\nResiduals:\n";
  if (std::isnan(d.normality.p) && std::isnan(d.variance.p))
    return out + "  too few degrees of freedom, or too exact, to test\n";
  const auto line = [&](const char* what, const TestResult& t, const std::string& test) {
    const char* word = std::isnan(t.p) ? "untested" : t.p < 0.01 ? "NO" : t.p < 0.05 ? "doubtful" : "yes";
    out += fmt::format("  {}: {} (p = {}, {})\n", what, word, p_text(t.p), test);
  };
  line("normal", d.normality, d.normality_test);
  line("constant variance", d.variance, "Breusch–Pagan");
  line("independent of the order of the runs", d.order, "Durbin–Watson");
  if (const auto& b = m.quality.regression->box_cox)
    out += fmt::format("  Box–Cox: λ = {:.2f} ({:.2f} … {:.2f}): {}\n", b->lambda, b->low, b->high,
                       b->suggestion == 1
                           ? "the response is fine as it is"
                           : fmt::format("fit polynomial --transform {:g} is worth a try", b->suggestion));
  return out + standout_lines(m);
}

std::string lenth_lines(const RegressionReport& r) {
  if (!(r.lenth.margin > 0)) return "";
  std::string active;
  for (const Effect& e : r.effects)
    if (e.active) active += (active.empty() ? "" : ", ") + e.term;
  return fmt::format(
      "\nNo error estimate. By Lenth's pseudo standard error (margin {} on effects) active: {}\n",
      pretty(r.lenth.margin), active.empty() ? "none" : active);
}

/// The equation broken into lines.
std::string folded(const std::string& text) {
  std::string out = "  ";
  std::size_t column = 0, begin = 0;
  while (begin < text.size()) {
    std::size_t end = text.find_first_of("+-", begin + 2);
    while (end != std::string::npos && (text[end - 1] != ' ' || text[end + 1] != ' '))
      end = text.find_first_of("+-", end + 1);
    end = std::min(end, text.size());
    if (column > 0 && column + end - begin > 100) out += "\n      ", column = 0;
    out += text.substr(begin, end - begin);
    column += end - begin;
    begin = end;
  }
  return out + "\n";
}

}  // namespace

std::string standout_lines(const ModelResult& m) {
  std::string out;
  for (const Standout& s : m.quality.regression->diagnostics.standouts)
    out += fmt::format("  run {}: {}\n", m.ids[std::size_t(s.row)], s.why);
  return out;
}

std::string regression_table(const Study& study, const ModelResult& m) {
  const Response& response = study.responses[study.response(m.response)];
  const Quality& q = m.quality;
  const Transform& t = m.polynomial->state().transform;
  const RegressionReport& r = *q.regression;
  std::string out = fmt::format(
      "\n── {} ──\n{} runs, {} terms, {:g} residual degrees of freedom; s = {}{}.\n",
      with_unit(response.title(), response.unit), m.runs, r.terms, m.polynomial->state().degrees_of_freedom,
      pretty(q.sigma), m.weights.empty() ? "" : ", a run weighs " + m.weights);
  if (!t.none())
    out += fmt::format("All below is of {}; predictions are carried back.\n",
                       t.lambda == 0 ? "log(" + m.response + ")"
                                     : fmt::format("({}^{:g} − 1)/{:g}", m.response, t.lambda, t.lambda));
  out += "\n" + coefficient_lines(study, m) + anova_lines(r.anova);
  if (!(m.polynomial->state().degrees_of_freedom > 0)) out += lenth_lines(r);
  out += choice_lines(m) + residual_lines(m) + surface_lines(study, m);
  out += "\nIn real units (renth equation gives all digits):\n" +
         folded(equation_text(study.space, m.response, t, m.natural, 8));
  for (const auto& [contrast, values] : contrast_values(study.space, m.natural.terms)) {
    out += "  " + contrast + " is";
    for (const auto& [choice, value] : values) out += fmt::format(" {} for {},", pretty(value, 5), choice);
    out.back() = '\n';
  }
  return out;
}

}  // namespace renth
