#include <fmt/format.h>

#include <exception>
#include <mutex>
#include <optional>
#include <renth/base/error.hpp>
#include <renth/fit/methods.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/store/maker.hpp>
#include <renth/workflow/expected_time.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/kept_fit.hpp>
#include <renth/workflow/named_fits.hpp>
#include <renth/workflow/run_remarks.hpp>

namespace renth {
namespace {

using nlohmann::json;

/// Products and powers without the terms that they are made of.
std::vector<std::string> without_parents(const Space& space, const Terms& terms) {
  std::vector<std::string> out;
  for (const Term& term : terms)
    for (std::size_t f = 0; f < term.factors.size() && term.order() > 1; ++f) {
      Term parent = term;
      if (--parent.factors[f].power == 0) parent.factors.erase(parent.factors.begin() + std::ptrdiff_t(f));
      if (std::find(terms.begin(), terms.end(), parent) == terms.end())
        out.push_back(fmt::format("{} without {}", name(space, term), name(space, parent)));
    }
  return out;
}

/// What a reader of the terms must know: how they came to be in.
void note_terms(const ModelResult& m, Notes& notes) {
  const Polynomial::State& s = m.polynomial->state();
  if (const std::vector<std::string> orphans = without_parents(s.space, s.terms); !orphans.empty())
    add_note(notes, "hierarchy",
             fmt::format("{}: the model has {}: what such a term says changes with where the parameters are "
                         "zero; keep the "
                         "lower terms in",
                         m.response, listed(orphans)));
  if (!m.selection.steps.empty())
    add_note(notes, "chosen_terms",
             fmt::format(
                 "{}: its terms were chosen by these same runs, so p-values and R² flatter them; Q² does not",
                 m.response));
}

/// Of many tests some come out by chance.
void note_many_tests(const std::vector<ModelResult>& models, Notes& notes) {
  std::size_t tests = 0, responses = 0;
  for (const ModelResult& m : models)
    if (m.polynomial && m.polynomial->state().degrees_of_freedom > 0 && !m.coefficients.empty()) {
      tests += m.coefficients.size() - 1;
      ++responses;
    }
  constexpr std::size_t few = 20;
  if (responses > 1 && tests >= few)
    add_note(notes, "many_tests",
             fmt::format("{} terms of {} responses are tested at once: at p < 0.05 about {} would stand out "
                         "by chance alone",
                         tests, responses, (tests + 10) / 20));
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

StoredSurrogate to_store(const Session& session, const Response& response, const RunData& data,
                         FittedResponse fitted, json made) {
  if (fitted.selections.size() == 1) made["selection"] = selection_to(fitted.selections[0]);
  made["settings"] = fitted.settings;
  made["idle"] = json::array();
  for (const Eigen::Index j : fitted.idle) made["idle"].push_back(session.study.space[j].name);
  StoredSurrogate out;
  out.response = response.name;
  out.kind = std::string(fitted.surrogate->kind());
  out.options = made.dump();
  out.data_hash = data_hash(data);
  out.study_hash = study_hash(session.study, response);
  out.tried = tried_to(fitted.tried);
  out.why = fitted.why;
  out.surrogate = fitted.surrogate;
  out.cv = std::move(fitted.cv);
  out.errors = (data.data.outputs - out.cv.predicted).cwiseAbs();
  out.runs = data.ids;
  return out;
}

/// One `fit`: what its responses share.
class Fitting {
 public:
  Fitting(Session& session, const FittingOptions& options)
      : session_(session),
        options_(options),
        asked_(fit_asked(session.study.space, options)),
        seed_(options.seed.value_or(session.study.seed)),
        makers_(session) {
    out_.in_full = asked_.kind == "polynomial";
    out_.level = options.level;
  }

  FitResult run() {
    std::string problems;
    const auto responses = chosen_responses(session_.study, options_.responses, false);
    if (!options_.keep_as.empty()) check_free_fit_name(session_, options_.keep_as, responses);
    // Two a thread at a time: no thread waits long, and little is lost if this is ended.
    const auto together = std::size_t(parallel_threads() > 1 ? 2 * parallel_threads() : 1);
    for (std::size_t from = 0; from < responses.size(); from += together) {
      std::vector<Work> works;
      for (std::size_t r = from; r < std::min(responses.size(), from + together); ++r)
        works.push_back(begin(responses[r]));
      if (from == 0) tell_expected(responses, works.front().data.data);
      parallel_for(std::int64_t(works.size()), [&](std::int64_t k) { fit(works[std::size_t(k)]); });
      for (Work& work : works) {
        try {
          finish(work);
        } catch (const Error& e) {
          if (e.kind() != ErrorKind::request) throw;
          problems = fmt::format("{}: {}", work.response.name, e.what());
          add_note(out_.notes, "not_fitted", problems);
          if (options_.responses.size() == 1) throw;
        }
      }
    }
    if (out_.models.empty())
      throw Error("no response could be fitted: " + problems, "fit", "look at renth runs");
    note_many_tests(out_.models, out_.notes);
    note_runs(session_, out_.notes);
    return std::move(out_);
  }

 private:
  /// One response on its way: what is read, what is fitted, or why it is not.
  struct Work {
    Response response;
    std::uint64_t state = 0;  // in which its runs were read
    RunData data;
    FitOptions asked;
    std::optional<FittedResponse> fitted;
    std::exception_ptr problem;
  };

  void tell_expected(const std::vector<Response>& responses, const Data& data) const {
    constexpr double long_time = 60, most_of_curve = 8;  // components of a curve
    if (!options_.expect) return;
    FitSize size{double(data.size()), double(session_.study.space.size()), 0, asked_.kind};
    for (const Response& r : responses) {
      const Axis* axis = session_.study.axis_of(r);
      size.outputs += axis ? std::min(double(axis->points.size()), most_of_curve) : 1;
    }
    const double seconds = expected_fit_seconds(size, parallel_threads());
    if (seconds > long_time)
      options_.expect(fmt::format("{} response{} and {} runs of {} parameters", responses.size(),
                                  responses.size() == 1 ? "" : "s", data.size(), session_.study.space.size()),
                      seconds);
  }

  Work begin(const Response& response) {
    Work work;
    work.response = response;
    work.state = session_.state();
    work.data = collect_data(session_, response, uses_fitted(options_.take_confirm), options_.weights);
    work.asked = asked_;
    work.asked.choosing = choosing(response);
    work.asked.seed = seed_;
    try {
      if (work.data.data.size() == 0)
        throw Error("there are no done runs", response.name, "renth plan and renth run, or renth import");
      check_makers(response, work.data);
    } catch (...) {
      work.problem = std::current_exception();
    }
    return work;
  }

  /// Nothing but computing: on any thread.
  void fit(Work& work) const {
    if (work.problem) return;
    try {
      const Space& space = session_.study.space;
      work.asked.request.transform = transform_asked(space, work.data.data, options_);
      work.fitted = fit_response(space, work.data.data, work.asked);
    } catch (...) {
      work.problem = std::current_exception();
    }
  }

  void finish(Work& work) {
    add_notes(out_.notes, work.data.notes);
    if (work.problem) std::rethrow_exception(work.problem);
    json made = options_to_keep(options_, seed_);
    made["transform"] = work.asked.request.transform.lambda;
    const StoredSurrogate stored =
        to_store(session_, work.response, work.data, std::move(*work.fitted), std::move(made));
    // What cannot be reported on does not become the current one.
    add_result(work.response, stored, work.data);
    const std::int64_t id = session_.store.save(stored, options_.keep_as);
    session_.remember("matches its runs", id, work.state, "yes");
    remember_judgement(session_, id, work.state, out_.models.back().judgement);
  }

  /// Values of another formula or solver are of another response, whatever they are called.
  void check_makers(const Response& response, const RunData& data) {
    const std::vector<MadeAlike> groups = makers_.of(response, data.ids);
    if (groups.size() == 1 && !groups[0].today)
      add_note(
          out_.notes, "other_maker",
          fmt::format("{}: its runs were computed by another {} than today's: renth run --renew computes "
                      "them again",
                      response.name, groups[0].differs));
    if (groups.size() < 2) return;
    std::string text;
    for (const MadeAlike& g : groups)
      text += fmt::format("{}{} by {}", text.empty() ? "" : ", ", listed_runs(g.runs),
                          g.today ? "today's" : "another " + g.differs);
    const std::string what = fmt::format("{} was not computed alike in all runs: {}", response.name, text);
    if (!options_.mixed)
      throw Error(what, "fit",
                  "renth run --renew computes the older ones again; or set them aside; or fit them together: "
                  "`mixed`");
    add_note(out_.notes, "mixed_makers", what);
  }

  ChoosingOptions choosing(const Response& response) const {
    ChoosingOptions out;
    out.most_candidates = options_.candidates;
    out.repeats = options_.repeats;
    out.drop_parameters = options_.drop_idle;
    if (options_.progress)
      out.progress = [this, name = response.name](int done, int total, const std::string& candidate) {
        const std::lock_guard lock(progress_);
        options_.progress(name, done, total, candidate);
      };
    return out;
  }

  void add_result(const Response& response, const StoredSurrogate& stored, const RunData& data) {
    ModelResult model = judge_surrogate(session_, response, stored, data, options_.level);
    add_statistics(session_, stored, options_.level, model);
    if (model.polynomial) note_nulls(model, out_.notes), note_terms(model, out_.notes);
    if (!model.polynomial && out_.in_full)
      add_note(
          out_.notes, "curve",
          fmt::format("{} is a curve, fitted an axis point at a time: its quality is told, its terms are not",
                      response.name));
    out_.models.push_back(std::move(model));
  }

  Session& session_;
  const FittingOptions& options_;
  FitOptions asked_;
  Seed seed_;
  Makers makers_;
  FitResult out_;
  mutable std::mutex progress_;
};

}  // namespace

FitResult fit_responses(Session& session, const FittingOptions& options) {
  return Fitting(session, options).run();
}

}  // namespace renth
