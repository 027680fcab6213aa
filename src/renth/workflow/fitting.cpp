#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/workflow/fitting.hpp>

namespace renth {
namespace {

using nlohmann::json;

std::vector<Tried> tried_from(const json& list) {
  std::vector<Tried> out;
  const auto number = [](const json& v) { return v.is_number() ? v.get<double>() : NAN; };
  for (const json& t : list) out.push_back({t["kind"], number(t["q2"]), number(t["rmse_cv"]), t["why"]});
  return out;
}
json tried_to(const std::vector<Tried>& tried) {
  json out = json::array();
  for (const Tried& t : tried)
    out.push_back({{"kind", t.kind},
                   {"q2", std::isfinite(t.q2) ? json(t.q2) : json()},
                   {"rmse_cv", std::isfinite(t.rmse_cv) ? json(t.rmse_cv) : json()},
                   {"why", t.why}});
  return out;
}

/// The runs a stored surrogate was fitted to, in its order.
RunData data_of(Session& session, const Response& response, const StoredSurrogate& stored) {
  const RunData all = collect_data(session, response, {"fit", "confirm"});
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

ModelResult judge_surrogate(Session& session, const Response& response, const StoredSurrogate& stored,
                            const RunData& data, double level) {
  ModelResult m;
  m.response = response.name;
  m.kind = stored.kind;
  m.why = stored.why;
  m.runs = static_cast<int>(data.data.size());
  m.tried = tried_from(stored.tried);
  const RunData check = collect_data(session, response, {"check"});
  m.quality = measure_quality(*stored.surrogate, data.data, stored.cv, &check.data, level);
  m.judgement = judge(m.quality, session.study.noisy(), stored.kind);
  if (const auto* p = dynamic_cast<const Polynomial*>(stored.surrogate.get())) {
    m.coefficients = p->coefficients(level);
    m.natural = p->natural();
    m.sigma2 = p->state().sigma2;
  }
  return m;
}

FitResult fit_responses(Session& session, const FittingOptions& options) {
  const Seed seed = options.seed.value_or(session.study.seed);
  FitResult out;
  if (!options.kind.empty()) surrogate_kind(options.kind);  // unknown names are an error before any work
  if (!options.terms.empty()) parse_terms(session.study.space, options.terms);
  std::string problems;
  for (const Response& response : chosen_responses(session.study, options.responses, false)) {
    const RunData data = collect_data(
        session, response,
        options.take_confirm ? std::vector<std::string>{"fit", "confirm"} : std::vector<std::string>{"fit"});
    for (const Note& n : data.notes) add_note(out.notes, n.code, n.text);
    try {
      if (data.data.size() == 0)
        throw Error("there are no done runs", response.name, "renth plan and renth run, or renth import");
      const std::string kind = options.kind.empty() && !options.terms.empty() ? "polynomial" : options.kind;
      FittedResponse fitted = fit_response(session.study.space, data.data, kind, {options.terms}, seed);
      StoredSurrogate stored;
      stored.response = response.name;
      stored.kind = std::string(fitted.surrogate->kind());
      stored.options = json{{"kind", options.kind},
                            {"terms", options.terms},
                            {"seed", seed},
                            {"take_confirm", options.take_confirm}}
                           .dump();
      stored.data_hash = data_hash(data);
      stored.study_hash = study_hash(session.study, response);
      stored.tried = tried_to(fitted.tried);
      stored.why = fitted.why;
      stored.surrogate = fitted.surrogate;
      stored.cv = std::move(fitted.cv);
      stored.runs = data.ids;
      session.store.save(stored);
      out.models.push_back(judge_surrogate(session, response, stored, data, options.level));
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

TrustResult trust_responses(Session& session, const std::vector<std::string>& responses, double level) {
  TrustResult out;
  for (const Response& response : chosen_responses(session.study, responses, false)) {
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
