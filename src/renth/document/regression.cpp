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

Rows coefficient_rows(const Study& study, const ModelResult& m) {
  Rows out;
  for (const Coefficient& c : m.coefficients)
    out.push_back(
        {text("term", "term", name(study.space, c.term)), number("coefficient", "coefficient", c.value, 6),
         number("std_error", "std error", c.std_error), number("t", "t", c.t), p_value("p", "p", c.p),
         number("low", "low", c.low, 5), number("high", "high", c.high, 5), number("vif", "VIF", c.vif, 3),
         number("standardised", "standardised", c.standardised, 3)});
  return out;
}

Rows anova_rows(const Anova& anova) {
  Rows out;
  for (const AnovaRow& r : anova.rows) {
    // Groups stand under the model, parts of the residual under it.
    const bool head =
        r.source == "model" || r.source == "blocks" || r.source == "residual" || r.source == "total";
    out.push_back({text("source", "source", r.source).as((head ? "" : "  ") + r.source),
                   whole("df", "df", std::int64_t(r.df)), number("ss", "sum of squares", r.ss, 5),
                   number("ss_sequential", "sequential", r.ss_sequential, 5),
                   number("ms", "mean square", r.ms, 5), number("f", "F", r.f), p_value("p", "p", r.p),
                   per_cent("share", "share", r.share, 4)});
  }
  return out;
}

Json coded_direction(const Study& study, const CanonicalAnalysis& s, const Eigen::VectorXd& direction) {
  Json out = Json::object();
  for (std::size_t i = 0; i < s.parameters.size(); ++i)
    out[study.space[s.parameters[i]].name] = direction[Eigen::Index(i)];
  return out;
}

/// Along the ridge, by distance from the middle.
Rows path_rows(const Study& study, const std::vector<RidgePoint>& path, bool lowest) {
  Rows out;
  for (const RidgePoint& r : path)
    out.push_back({number("radius", "distance", r.radius, 3),
                   number("value", lowest ? "lowest" : "highest", r.value, 5), number("sd", "sd", r.sd, 3),
                   setting("point", study, r.point), yes_no("inside", " ", r.inside, "", "outside")});
  return out;
}

Figures stationary_of(const Study& study, const CanonicalAnalysis& s) {
  Rows eigen;
  for (const auto& axis : s.axes)
    eigen.push_back({number("value", "", axis.value), number("low", "", axis.low),
                     number("high", "", axis.high),
                     raw("direction", coded_direction(study, s, axis.direction))});
  const bool one = s.point.size() > 0;
  return {
      one ? setting("point", study, s.point) : nothing("point"), text("kind", "", s.kind),
      one ? number("value", "", s.value) : nothing("value"),     one ? number("sd", "", s.sd) : nothing("sd"),
      one ? yes_no("inside", "", s.inside) : nothing("inside"),  list("eigen", std::move(eigen))};
}

Figure test_of(const char* key, const std::string& test, const TestResult& r) {
  return group(key, {text("test", "", test), number("statistic", "", r.statistic), number("p", "", r.p)});
}

Figure box_cox_of(const std::optional<BoxCox>& b) {
  if (!b) return nothing("box_cox");
  Rows profile;
  for (const BoxCox::Point& p : b->profile)
    profile.push_back({number("lambda", "", p.lambda), number("log_likelihood", "", p.log_likelihood)});
  return group("box_cox",
               {number("lambda", "", b->lambda), number("low", "", b->low), number("high", "", b->high),
                number("suggestion", "", b->suggestion), list("profile", std::move(profile))});
}

}  // namespace

/// Observed and predicted in the response's own unit; what is studentised belongs to the fitted scale.
Rows standout_rows(const ModelResult& m) {
  const Diagnostics& d = m.quality.regression->diagnostics;
  Rows out;
  const Transform& back = m.polynomial->state().transform;
  for (const Standout& s : d.standouts) {
    const Eigen::Index i = s.row;
    const double observed = back.back(d.fitted[i] + d.residual[i]), predicted = back.back(d.fitted[i]);
    out.push_back({whole("id", "", m.ids[std::size_t(i)]), number("observed", "", observed),
                   number("predicted", "", predicted), number("residual", "", observed - predicted),
                   number("residual_internal", "", d.internal[i]),
                   number("residual_external", "", d.external[i]), number("leverage", "", d.leverage[i]),
                   number("cook", "", d.cook[i]), text("why", "", s.why)});
  }
  return out;
}

namespace {

/// Terms in and out, and why: dropped, steps and kept.
Figures choice_of(const TermSelection& selection) {
  Rows dropped, steps, kept;
  for (const ChoiceStep& s : selection.steps) {
    const Figure step = s.step > 0 ? whole("step", "", s.step) : nothing("step");
    if (!s.added)
      dropped.push_back({step, text("term", "", s.term), number("p", "", s.p), text("rule", "", s.rule)});
    if (s.step > 0)
      steps.push_back({step, text("action", "", s.added ? "add" : "drop"), text("term", "", s.term),
                       number("p", "", s.p), number("criterion", "", s.criterion), text("rule", "", s.rule)});
  }
  for (const auto& k : selection.kept)
    kept.push_back({text("term", "", k.term), number("p", "", k.p), text("because", "", k.because)});
  return {list("dropped", std::move(dropped)), list("steps", std::move(steps)),
          list("kept", std::move(kept))};
}

Rows natural_rows(const Study& study, const NaturalPolynomial& polynomial) {
  Rows out;
  for (std::size_t t = 0; t < polynomial.terms.size(); ++t)
    out.push_back({text("term", "", name(study.space, polynomial.terms[t])),
                   number("coefficient", "", polynomial.coefficients[Eigen::Index(t)])});
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

Rows effect_rows(const RegressionReport& r) {
  Rows out;
  for (const Effect& e : r.effects)
    out.push_back({text("term", "", e.term), number("effect", "", e.value), number("t", "", e.t),
                   yes_no("active", "", e.active)});
  return out;
}

}  // namespace

Figures regression_figures(const Study& study, const ModelResult& m) {
  const RegressionReport& r = *m.quality.regression;
  const Polynomial::State& s = m.polynomial->state();
  const Diagnostics& d = r.diagnostics;
  Figures out = {list("terms", coefficient_rows(study, m)),
                 list("natural_terms", natural_rows(study, m.natural)), list("anova", anova_rows(r.anova)),
                 text("equation", "", equation_text(study.space, m.response, s.transform, m.natural, 17))};
  for (Figure& f : choice_of(m.selection)) out.push_back(std::move(f));
  for (Figure& f : Figures{
           m.surface ? group("stationary", stationary_of(study, *m.surface)) : nothing("stationary"),
           list("standouts", standout_rows(m)), number("degrees_of_freedom", "", s.degrees_of_freedom),
           s.transform.none() ? nothing("transform") : number("transform", "", s.transform.lambda),
           m.weights.empty() ? nothing("weights") : text("weights", "", m.weights),
           raw("contrasts", contrasts_of(study, m.natural.terms)), list("effects", effect_rows(r)),
           group("lenth", {number("pseudo_error", "", r.lenth.pseudo_error),
                           number("df", "", r.lenth.degrees_of_freedom), number("margin", "", r.lenth.margin),
                           number("simultaneous_margin", "", r.lenth.simultaneous_margin)}),
           group("tests", {test_of("normality", d.normality_test, d.normality),
                           test_of("constant_variance", "Breusch–Pagan", d.variance),
                           test_of("order", "Durbin–Watson", d.order)}),
           box_cox_of(r.box_cox),
           m.surface ? group("ridge_path", {list("highest", path_rows(study, m.surface->highest, false)),
                                            list("lowest", path_rows(study, m.surface->lowest, true))})
                     : nothing("ridge_path")})
    out.push_back(std::move(f));
  if (r.strata.plots > 0)
    out.push_back(list("strata", {{text("error", "", "whole_plots"), number("sd", "", r.strata.sd_between),
                                   number("df", "", r.strata.df_between)},
                                  {text("error", "", "runs"), number("sd", "", r.strata.sd_within),
                                   number("df", "", r.strata.df_within)}}));
  return out;
}

std::string strata_sentence(const ErrorStrata& s) {
  if (s.plots == 0) return "";
  const std::string within = fmt::format("{} from run to run within them ({} degrees of freedom)",
                                         pretty(s.sd_within, 3), s.df_within);
  if (!(s.df_between > 0))
    return fmt::format(
        "Errors: sd {}. {} whole plots leave nothing to see their own by: it is taken to be as large, and "
        "terms that change between plots alone have no test.",
        within, s.plots);
  return fmt::format("Errors: sd {} between {} whole plots ({} degrees of freedom{}), {}.",
                     pretty(s.sd_between, 3), s.plots, s.df_between,
                     s.sd_between > 0 ? "" : "; no more than runs explain", within);
}

namespace {

std::string strata_lines(const ErrorStrata& s) {
  const std::string sentence = strata_sentence(s);
  return sentence.empty() ? "" : "\n" + sentence + "\n";
}

std::string coefficient_lines(const Study& study, const ModelResult& m) {
  return "Coefficients in coded units (−1 … +1):\n" + table_of(coefficient_rows(study, m));
}

std::string anova_lines(const Anova& anova) {
  return "\nAnalysis of variance:\n" + table_of(anova_rows(anova));
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
  const Rows all = path_rows(study, least ? s.lowest : s.highest, least);
  Rows path;
  for (std::size_t i = 0; i < all.size(); i += 2) path.push_back(all[i]);
  return out + fmt::format("  the {} by coded distance from the middle:\n", least ? "lowest" : "highest") +
         table_of(path);
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
  std::string out =
      fmt::format("\n── {} ──\n{} runs{}, {} terms, {:g} residual degrees of freedom; s = {}{}.\n",
                  with_unit(response.title(), response.unit), m.runs,
                  r.strata.plots > 0 ? fmt::format(" in {} whole plots", r.strata.plots) : "", r.terms,
                  r.strata.df_within + r.strata.df_between, pretty(q.sigma),
                  m.weights.empty() ? "" : ", a run weighs " + m.weights);
  if (!t.none())
    out += fmt::format("All below is of {}; predictions are carried back.\n",
                       t.lambda == 0 ? "log(" + m.response + ")"
                                     : fmt::format("({}^{:g} − 1)/{:g}", m.response, t.lambda, t.lambda));
  out += "\n" + coefficient_lines(study, m) + anova_lines(r.anova) + strata_lines(r.strata);
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
