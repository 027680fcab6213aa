#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <renth/quality/box_cox.hpp>
#include <renth/quality/calibrated.hpp>
#include <renth/quality/coverage.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <renth/terms/confounding.hpp>
#include <renth/workflow/fitting.hpp>

namespace renth {
namespace {

using nlohmann::json;

/// Numbers in the store: null is NaN.
double from_stored(const json& v) {
  return v.is_number() ? v.get<double>() : NAN;
}
json to_stored(double v) {
  return std::isfinite(v) ? json(v) : json();
}

std::vector<Tried> tried_from(const json& list) {
  std::vector<Tried> out;
  for (const json& t : list)
    out.push_back(
        {t["kind"], from_stored(t["q2"]), from_stored(t["rmse_cv"]), t["why"], t.value("settings", "")});
  return out;
}
json tried_to(const std::vector<Tried>& tried) {
  json out = json::array();
  for (const Tried& t : tried)
    out.push_back({{"kind", t.kind},
                   {"q2", to_stored(t.q2)},
                   {"rmse_cv", to_stored(t.rmse_cv)},
                   {"why", t.why},
                   {"settings", t.settings}});
  return out;
}

/// The runs a stored surrogate was fitted to, in its order.
RunData data_of(Session& session, const Response& response, const StoredSurrogate& stored) {
  const RunData all = collect_data(session, response, {"fit", "confirm"}, weights_fitted(stored));
  RunData out;
  std::vector<Eigen::Index> rows;
  for (const std::int64_t id : stored.runs) {
    const auto found = std::find(all.ids.begin(), all.ids.end(), id);
    if (found == all.ids.end()) continue;
    rows.push_back(found - all.ids.begin());
    out.ids.push_back(id);
    out.batches.push_back(all.batches[rows.back()]);
  }
  out.data = all.data.rows(rows);
  out.notes = all.notes;
  return out;
}

json selection_to(const TermSelection& selection) {
  json steps = json::array(), kept = json::array();
  for (const ChoiceStep& s : selection.steps)
    steps.push_back({s.step, s.added, s.term, to_stored(s.p), to_stored(s.criterion), s.rule});
  for (const auto& k : selection.kept) kept.push_back({k.term, k.because, to_stored(k.p)});
  return {{"steps", steps}, {"kept", kept}};
}
TermSelection selection_from(const json& stored) {
  TermSelection out;
  if (!stored.contains("selection")) return out;
  for (const json& s : stored["selection"]["steps"])
    out.steps.push_back({s[0], s[1], s[2], from_stored(s[3]), from_stored(s[4]), s[5]});
  for (const json& k : stored["selection"]["kept"]) out.kept.push_back({k[0], k[1], from_stored(k[2])});
  return out;
}

/// A term by name, or all contrasts of a choice.
void add_terms(const Space& space, const std::vector<std::string>& names, Terms& out) {
  for (const std::string& text : names)
    for (const Term& t : parse_terms(space, text))
      if (!t.factors.empty()) out.push_back(t);
}

TermChoice choice_of(const Space& space, const FittingOptions& options) {
  TermChoice choice;
  if (!options.choose.empty()) choice.method = choice_method(options.choose);
  choice.rule = !options.by.empty()                                ? choice_rule(options.by)
                : choice.method == TermChoice::Method::best_subset ? TermChoice::Rule::aicc
                                                                   : TermChoice::Rule::p_value;
  choice.enter = options.enter;
  choice.leave = options.leave;
  choice.heredity = options.heredity;
  add_terms(space, options.keep, choice.keep);
  add_terms(space, options.drop, choice.drop);
  if (!choice.keep.empty() && choice.method == TermChoice::Method::none)
    throw Error("--keep says which terms a choice may not drop, and there is no choice", "--keep",
                "add --choose backward, or name the terms with --model");
  return choice;
}

/// What is asked of kriging and of radial basis functions.
void read_metamodel_options(const FittingOptions& o, FitRequest& out) {
  using Nugget = KrigingOptions::Nugget;
  if (!o.kernel.empty()) out.kernel = kernel_named(o.kernel);
  out.trend = o.trend;
  if (o.criterion == "leave-one-out") out.criterion = KrigingCriterion::leave_one_out;
  out.prior = o.prior;
  if (!o.basis.empty()) out.basis = radial_basis_named(o.basis);
  if (o.nugget == "none")
    out.nugget = Nugget::none;
  else if (o.nugget == "estimated")
    out.nugget = Nugget::estimated;
  else if (o.nugget == "replicates")
    out.nugget = Nugget::replicates;
  else if (!o.nugget.empty() && o.nugget != "auto") {
    const char* end = o.nugget.data() + o.nugget.size();
    const auto [at, error] = std::from_chars(o.nugget.data(), end, out.noise_variance);
    if (error != std::errc() || at != end || !(out.noise_variance >= 0))
      throw Error("\"" + o.nugget + "\" is no nugget", "--nugget",
                  "use auto, none, estimated, replicates, or the variance of the noise as a number");
    out.nugget = Nugget::fixed;
  }
}

/// The kind that the options ask for without naming it.
std::string kind_asked(const FittingOptions& o, bool terms_chosen) {
  const bool polynomial = !o.terms.empty() || terms_chosen || !o.transform.empty() || !o.weights.empty();
  const bool kriging =
      !o.kernel.empty() || !o.trend.empty() || !o.nugget.empty() || !o.criterion.empty() || !o.prior;
  const std::string asked = polynomial ? "polynomial" : kriging ? "kriging" : !o.basis.empty() ? "rbf" : "";
  const std::string other = polynomial && kriging                         ? "kriging"
                            : (polynomial || kriging) && !o.basis.empty() ? "rbf"
                                                                          : o.kind;
  if (!asked.empty() && !other.empty() && other != asked) {
    if (asked == "polynomial")
      throw Error("terms, weights and transformations are for polynomials", "fit " + other,
                  "renth fit polynomial with them, or leave them out");
    throw Error(
        asked == "kriging" ? "kernels, trends and nuggets are for kriging" : "a radial basis is for kind rbf",
        "fit " + other, "renth fit " + asked + " with them, or leave them out");
  }
  return asked.empty() ? o.kind : asked;
}

/// The power that is asked for; Box and Cox's where they are to choose.
Transform transform_of(const Space& space, const Data& data, const FittingOptions& options) {
  const std::string& text = options.transform;
  if (text.empty()) return {};
  if (text == "log") return {0};
  if (text == "sqrt") return {0.5};
  if (text == "inverse") return {-1};
  if (text != "box-cox") {
    double lambda = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), lambda);
    if (error != std::errc() || end != text.data() + text.size() || !(std::abs(lambda) <= 5))
      throw Error("\"" + text + "\" is no transformation", "--transform",
                  "use log, sqrt, inverse, box-cox or a power from -5 to 5");
    return {lambda};
  }
  if (data.outputs.cols() > 1)
    throw Error("a curve has no single power", "--transform box-cox", "name a power");
  const auto found = box_cox(
      space, data,
      options.terms.empty() ? suggested_terms(space, data.inputs) : parse_terms(space, options.terms));
  if (!found)
    throw Error("a power needs values above zero and some residual degrees of freedom", "--transform box-cox",
                "fit it as it is");
  return {found->suggestion};
}

/// What cannot be had from a polynomial, in plain words.
void note_nulls(const ModelResult& m, Notes& notes) {
  const RegressionReport& r = *m.quality.regression;
  if (!(m.polynomial->state().degrees_of_freedom > 0))
    add_note(notes, "saturated",
             fmt::format("{}: as many terms as runs, so errors, F and p are null and R² = 1 means nothing",
                         m.response));
  if (r.diagnostics.exact && m.polynomial->state().degrees_of_freedom > 0)
    add_note(
        notes, "exact",
        fmt::format(
            "{}: the polynomial meets every run to the last digits; errors, t and p are those of rounding",
            m.response));
  if (r.anova.pure_error_df == 0)
    add_note(notes, "no_replicates", "no run is repeated, so pure error and lack of fit are null");
  if (!(m.quality.r2 == m.quality.r2))
    add_note(notes, "constant",
             fmt::format("{} is the same in every run: there is nothing to explain", m.response));
  if (!m.surface) add_note(notes, "no_stationary", fmt::format("{}: {}", m.response, m.no_surface));
  if (!m.polynomial->state().transform.none())
    add_note(notes, "transformed",
             fmt::format(
                 "{}: coefficients, sums of squares and s are of the transformed response; predictions are "
                 "its median carried back",
                 m.response));
  bool held = false;
  for (Eigen::Index j = 0; m.surface && j < m.polynomial->state().space.size(); ++j)
    held = held || !m.polynomial->state().space[j].is_between();
  if (held) add_note(notes, "held", "the stationary point holds choices and levels at nominal");
}

/// One row a run and axis point; errors are those of the cross-validated prediction.
std::vector<ResidualRow> residual_rows(const Study& study, const Response& response, const RunData& data,
                                       const Eigen::MatrixXd& fitted, const Eigen::MatrixXd& crossed) {
  std::vector<ResidualRow> out;
  const Axis* axis = study.axis_of(response);
  for (Eigen::Index k = 0; k < data.data.outputs.cols(); ++k) {
    double largest = 0;
    for (const double v : data.data.outputs.col(k))
      if (std::isfinite(v)) largest = std::max(largest, std::abs(v));
    for (Eigen::Index i = 0; i < data.data.size(); ++i) {
      const double y = data.data.outputs(i, k);
      if (!std::isfinite(y)) continue;
      out.push_back({data.ids[i], data.batches[i], axis ? axis->points[k] : NAN, y, fitted(i, k),
                     crossed(i, k), percent_error(std::abs(y - crossed(i, k)), y, largest)});
    }
  }
  return out;
}

}  // namespace

FitRequest request_of(const StoredSurrogate& stored) {
  const json made = json::parse(stored.options);
  FittingOptions options;
  options.kernel = made.value("kernel", "");
  options.trend = made.value("trend", "");
  options.nugget = made.value("nugget", "");
  options.criterion = made.value("criterion", "");
  options.prior = made.value("prior", true);
  options.basis = made.value("basis", "");
  FitRequest out;
  out.terms = made.value("terms", "");
  out.transform.lambda = made.value("transform", 1.0);
  read_metamodel_options(options, out);
  return out;
}

ModelResult judge_surrogate(Session& session, const Response& response, const StoredSurrogate& stored,
                            const RunData& data, double level) {
  ModelResult m;
  m.response = response.name;
  m.kind = stored.kind;
  m.why = stored.why;
  m.runs = static_cast<int>(data.data.size());
  m.tried = tried_from(stored.tried);
  const json options = json::parse(stored.options);
  m.detail = describe_fit(*stored.surrogate);
  m.chosen_settings = options.value("settings", "");
  m.idle = options.value("idle", std::vector<std::string>{});
  const RunData check = collect_data(session, response, {"check"});
  m.quality = measure_quality(*stored.surrogate, data.data, stored.cv, &check.data, level);
  m.judgement = judge(m.quality, session.study.noisy(), stored.kind, m.tried.size());
  m.ids = data.ids;
  m.settings = data.data.inputs;
  m.polynomial = std::dynamic_pointer_cast<const Polynomial>(stored.surrogate);
  return m;
}

namespace {

/// What `fit` prints of a polynomial besides its judgement.
void add_statistics(Session& session, const StoredSurrogate& stored, double level, ModelResult& m) {
  if (!m.polynomial) return;
  m.coefficients = m.polynomial->coefficients(level);
  m.natural = m.polynomial->natural();
  m.surface = canonical_analysis(session.study.space, *m.polynomial, session.study.space.nominal(), level,
                                 m.no_surface);
  const json options = json::parse(stored.options);
  m.weights = options.value("weights", "");
  m.selection = selection_from(options);
}

}  // namespace

ModelResult current_polynomial(Session& session, const std::string& response, double level, Notes& notes) {
  const Response r = chosen_responses(session.study, {response}, false)[0];
  const StoredSurrogate stored = need_surrogate(session, r, notes);
  if (!dynamic_cast<const Polynomial*>(stored.surrogate.get()))
    throw Error(r.axis >= 0
                    ? response + " is a curve, with a model an axis point"
                    : fmt::format("the surrogate of {} is {}, not a polynomial", response, stored.kind),
                "--response " + response, "renth fit polynomial --response " + response);
  ModelResult m = judge_surrogate(session, r, stored, data_of(session, r, stored), level);
  add_statistics(session, stored, level, m);
  return m;
}

FitResult fit_responses(Session& session, const FittingOptions& options) {
  const Seed seed = options.seed.value_or(session.study.seed);
  FitResult out;
  if (!options.kind.empty() && options.kind != "blend") surrogate_kind(options.kind);
  const Space& space = session.study.space;
  if (!options.terms.empty()) parse_terms(space, options.terms);
  if (!options.trend.empty()) trend_terms(space, options.trend);
  const TermChoice choice = choice_of(space, options);
  const std::string kind = kind_asked(options, choice.any());
  FitRequest request;
  request.terms = options.terms;
  read_metamodel_options(options, request);
  out.in_full = kind == "polynomial";
  std::string problems;
  for (const Response& response : chosen_responses(session.study, options.responses, false)) {
    StoredSurrogate stored;
    json made = {{"kind", options.kind},
                 {"terms", options.terms},
                 {"seed", seed},
                 {"take_confirm", options.take_confirm},
                 {"weights", options.weights},
                 {"kernel", options.kernel},
                 {"trend", options.trend},
                 {"nugget", options.nugget},
                 {"criterion", options.criterion},
                 {"prior", options.prior},
                 {"basis", options.basis}};
    stored.response = response.name;
    stored.options = made.dump();
    const RunData data = collect_data(session, response, uses_fitted(stored), options.weights);
    for (const Note& n : data.notes) add_note(out.notes, n.code, n.text);
    try {
      if (data.data.size() == 0)
        throw Error("there are no done runs", response.name, "renth plan and renth run, or renth import");
      request.transform = transform_of(space, data.data, options);
      ChoosingOptions choosing;
      choosing.most_candidates = options.candidates;
      choosing.repeats = options.repeats;
      choosing.drop_parameters = options.drop_idle;
      if (options.progress)
        choosing.progress = [&](int done, int total, const std::string& candidate) {
          options.progress(response.name, done, total, candidate);
        };
      FittedResponse fitted = fit_response(space, data.data, kind, request, seed, choice, choosing);
      stored.kind = std::string(fitted.surrogate->kind());
      if (fitted.selections.size() == 1) made["selection"] = selection_to(fitted.selections[0]);
      made["transform"] = request.transform.lambda;
      made["settings"] = fitted.settings;
      made["idle"] = json::array();
      for (const Eigen::Index j : fitted.idle) made["idle"].push_back(space[j].name);
      stored.options = made.dump();
      stored.data_hash = data_hash(data);
      stored.study_hash = study_hash(session.study, response);
      stored.tried = tried_to(fitted.tried);
      stored.why = fitted.why;
      stored.surrogate = fitted.surrogate;
      stored.cv = std::move(fitted.cv);
      stored.runs = data.ids;
      session.store.save(stored);
      ModelResult model = judge_surrogate(session, response, stored, data, options.level);
      add_statistics(session, stored, options.level, model);
      if (model.polynomial) note_nulls(model, out.notes);
      if (!model.polynomial && out.in_full)
        add_note(out.notes, "curve",
                 fmt::format(
                     "{} is a curve, fitted an axis point at a time: its quality is told, its terms are not",
                     response.name));
      out.models.push_back(std::move(model));
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::request) throw;
      problems = fmt::format("{}: {}", response.name, e.what());
      add_note(out.notes, "not_fitted", problems);
      if (options.responses.size() == 1) throw;
    }
  }
  if (out.models.empty())
    throw Error("no response could be fitted: " + problems, "fit", "look at renth runs");
  return out;
}

namespace {

/// The share of check runs inside the calibrated intervals.
double calibrated_share(const StoredSurrogate& stored, const Data& fitted, const Data& check, double level) {
  int inside = 0, count = 0;
  for (Eigen::Index k = 0; k < check.outputs.cols() && check.size() > 0; ++k) {
    const CalibratedIntervals bounds = calibrated_intervals(fitted, stored.cv, check.inputs, k, level);
    for (Eigen::Index i = 0; i < bounds.low.size(); ++i) {
      const double y = check.outputs(i, k);
      if (!std::isfinite(y)) continue;
      ++count;
      inside += y >= bounds.low[i] && y <= bounds.high[i];
    }
  }
  return count > 0 ? double(inside) / count : NAN;
}

LearningCurve learn(Session& session, const StoredSurrogate& stored, const RunData& data, const Quality& q,
                    double target) {
  const json made = json::parse(stored.options);
  const auto* rescaled = dynamic_cast<const Rescaled*>(stored.surrogate.get());
  const Surrogate& whole = rescaled ? *rescaled->inner() : *stored.surrogate;
  const Fit fit = fit_as_chosen(session.study.space, data.data, tried_from(stored.tried),
                                made.value("settings", ""), request_of(stored), whole);
  LearningOptions options;
  options.target = target;
  options.reachable = q.reachable;
  // The same work whatever the number of runs, as far as that goes.
  options.repeats = std::clamp(int(1600 / std::max<Eigen::Index>(1, data.data.size())), 3, 16);
  return learning_curve(session.study.space, data.data, fit, q.q2, options,
                        made.value("seed", session.study.seed));
}

}  // namespace

TrustResult trust_responses(Session& session, const TrustOptions& options) {
  const double level = options.level;
  TrustResult out;
  for (const Response& response : chosen_responses(session.study, options.responses, false)) {
    const StoredSurrogate stored = need_surrogate(session, response, out.notes);
    const RunData data = data_of(session, response, stored);
    if (data.ids.size() != stored.runs.size()) {
      // What it was fitted to is no longer there as it was: figures would be of something else.
      throw Error(fmt::format("{} of the runs that {} was fitted to were set aside or changed",
                              stored.runs.size() - data.ids.size(), response.name),
                  "study.db", "renth fit --response " + response.name);
    }
    TrustResult::OfResponse r;
    r.model = judge_surrogate(session, response, stored, data, level);
    r.residuals =
        residual_rows(session.study, response, data,
                      predict_parallel(*stored.surrogate, data.data.inputs).mean, stored.cv.predicted);
    const RunData check = collect_data(session, response, {"check"});
    const Eigen::MatrixXd predicted = predict_parallel(*stored.surrogate, check.data.inputs).mean;
    r.check = residual_rows(session.study, response, check, predicted, predicted);
    r.coverage = left_out_coverage(data.data, stored.cv, level);
    r.calibrated_check = calibrated_share(stored, data.data, check.data, level);
    using Learning = TrustOptions::Learning;
    if (options.learning == Learning::always ||
        (options.learning == Learning::when_quick && data.data.size() <= 150)) {
      r.learning = learn(session, stored, data, r.model.quality, options.target);
      if (r.model.judgement.verdict != Verdict::good || r.learning->runs_needed)
        r.model.judgement.next.push_back("with more runs: " + r.learning->sentence + " (renth refine)");
    }
    std::stable_sort(r.residuals.begin(), r.residuals.end(), [](const ResidualRow& a, const ResidualRow& b) {
      return a.error_percent > b.error_percent;
    });
    out.responses.push_back(std::move(r));
  }
  return out;
}

Verdict note_verdict(Session& session, const Response& response, const StoredSurrogate& stored,
                     Notes& notes) {
  const RunData data = data_of(session, response, stored);
  if (data.ids.size() != stored.runs.size())
    return Verdict::unfit;  // its runs have changed, which is told elsewhere
  const Verdict verdict = judge_surrogate(session, response, stored, data, 0.95).judgement.verdict;
  if (verdict >= Verdict::weak)
    add_note(
        notes, verdict == Verdict::unfit ? "unfit" : "weak",
        fmt::format(
            "the surrogate of {} is {}: take what follows from it with that in mind (renth trust says why)",
            response.name, name(verdict)));
  return verdict;
}

}  // namespace renth
