#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/workflow/judging.hpp>
#include <renth/workflow/kept_fit.hpp>

namespace renth {

using nlohmann::json;

namespace {

std::string judgement_text(const Judgement& j) {
  return json{{"verdict", int(j.verdict)}, {"reasons", j.reasons}, {"next", j.next}}.dump();
}
Judgement judgement_from(const std::string& text) {
  const json kept = json::parse(text);
  return {Verdict(kept["verdict"].get<int>()), kept["reasons"], kept["next"]};
}

}  // namespace

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
  m.idle = left_out_of(stored);
  const RunData check = collect_data(session, response, {"check"});
  m.quality =
      measure_quality(session.study.space, *stored.surrogate, data.data, stored.cv, &check.data, level);
  m.judgement = judge(m.quality, session.study.noisy, stored.kind, contenders(m.tried, m.kind, m.quality.q2));
  m.ids = data.ids;
  m.settings = data.data.inputs;
  m.polynomial = std::dynamic_pointer_cast<const Polynomial>(stored.surrogate);
  return m;
}

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

namespace {

/// The current surrogate of a response, which must be a polynomial.
std::shared_ptr<const StoredSurrogate> need_polynomial(Session& session, const Response& r, Notes& notes) {
  auto stored = need_surrogate(session, r, notes);
  if (!polynomial_of(*stored->surrogate))
    throw Error(r.axis >= 0
                    ? r.name + " is a curve, with a model an axis point"
                    : fmt::format("the surrogate of {} is {}, not a polynomial", r.name, stored->kind),
                "--response " + r.name, "renth fit polynomial --response " + r.name);
  return stored;
}

}  // namespace

ModelResult current_polynomial(Session& session, const std::string& response, double level, Notes& notes) {
  const Response r = chosen_responses(session.study, {response}, false)[0];
  const auto stored = need_polynomial(session, r, notes);
  ModelResult m = judge_surrogate(session, r, *stored, fitted_data(session, r, *stored), level);
  add_statistics(session, *stored, level, m);
  return m;
}

ModelResult polynomial_alone(Session& session, const std::string& response, double level, Notes& notes) {
  const Response r = chosen_responses(session.study, {response}, false)[0];
  const auto stored = need_polynomial(session, r, notes);
  ModelResult m;
  m.response = r.name;
  m.kind = stored->kind;
  m.runs = int(stored->runs.size());
  m.judgement = judgement_of(session, r, *stored);
  m.polynomial = std::dynamic_pointer_cast<const Polynomial>(stored->surrogate);
  m.coefficients = m.polynomial->coefficients(level);
  m.natural = m.polynomial->natural();
  session.keep();
  return m;
}

void remember_judgement(Session& session, std::int64_t surrogate, std::uint64_t state,
                        const Judgement& judgement) {
  session.remember("judgement", surrogate, state, judgement_text(judgement));
}

Judgement judgement_of(Session& session, const Response& response, const StoredSurrogate& stored) {
  return judgement_from(session.worked_out("judgement", stored.id, [&] {
    const RunData data = fitted_data(session, response, stored);
    if (!is_as_fitted(data, stored))
      return judgement_text({Verdict::unfit, {"runs that it was fitted to have changed"}, {"renth fit"}});
    return judgement_text(judge_surrogate(session, response, stored, data, 0.95).judgement);
  }));
}

void note_weak(const std::string& response, Verdict verdict, Notes& notes) {
  if (verdict >= Verdict::weak)
    add_note(
        notes, verdict == Verdict::unfit ? "unfit" : "weak",
        fmt::format(
            "the surrogate of {} is {}: take what follows from it with that in mind (renth trust says why)",
            response, name(verdict)));
}

Verdict note_verdict(Session& session, const Response& response, const StoredSurrogate& stored,
                     Notes& notes) {
  const Verdict verdict = judgement_of(session, response, stored).verdict;
  note_weak(response.name, verdict, notes);
  return verdict;
}

}  // namespace renth
