#include <fmt/format.h>

#include <algorithm>
#include <renth/numeric/parallel.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <renth/workflow/judging.hpp>
#include <set>
#include <utility>

namespace renth {
namespace {

/// The surrogate with its folds. Stores of an earlier version have no errors: then as the runs say, if the
/// very ones that were fitted are still there.
Model::Part part_of(Session& session, const Response& response, const StoredSurrogate& stored) {
  if (stored.errors.cols() > 0)
    return {stored.surrogate, FoldModels(stored.cv.models, stored.cv.folds.of_run, stored.errors)};
  const RunData data = fitted_data(session, response, stored);
  if (is_as_fitted(data, stored)) return {stored.surrogate, fold_models(stored.cv, data.data.outputs)};
  return {stored.surrogate, FoldModels(stored.cv.models, {}, {})};
}

}  // namespace

void note_weak_parts(const Model& model, Notes& notes) {
  for (std::size_t k = 0; k < model.parts.size(); ++k)
    if (const auto& part = model.parts[k]; part && verdict_words.has(part->verdict))
      note_weak(model.problem.responses[k].name, verdict_words.value(part->verdict, ""), notes);
}

FittedStudy::FittedStudy(Session& session, const std::vector<std::string>& needed)
    : verdicts_(session.study.responses.size(), Verdict::good),
      verdict_notes_(session.study.responses.size()) {
  const Study& study = session.study;
  const std::size_t count = study.responses.size();
  auto model =
      std::make_shared<Model>(Model{study, {}, session.coverage(), learned_feasibility(session).chance});
  model->parts.resize(count);
  const auto load = [&](int index) {
    if (model->parts[std::size_t(index)]) return;
    const Response& r = study.responses[std::size_t(index)];
    const auto stored =
        needed.empty() ? current_surrogate(session, r, notes_) : need_surrogate(session, r, notes_);
    if (!stored) return;
    const Verdict verdict = note_verdict(session, r, *stored, verdict_notes_[std::size_t(index)]);
    verdicts_[std::size_t(index)] = verdict;
    model->parts[std::size_t(index)] = session.part(*stored, [&] {
      Model::Part part = part_of(session, r, *stored);
      part.verdict = name(verdict);
      return part;
    });
  };
  bool any = false;
  for (const Response& r : chosen_responses(study, needed, true)) {
    const int index = study.response(r.name);
    for (const int source : sources_of(study, index)) load(source);
    any = any || model->has(index);
    if (!r.derive && !model->has(index))
      add_note(notes_, "no_surrogate", fmt::format("{} has no surrogate: renth fit", r.name));
  }
  if (!any) throw Error("no response has a surrogate that matches the study", "study.db", "renth fit");
  predictor_.emplace(std::move(model), parallel_for);
  session.keep();
}

Verdict FittedStudy::note_verdicts(int response, Notes& notes) const {
  Verdict worst = Verdict::good;
  for (const int s : sources_of(model().problem, response)) {
    worst = std::max(worst, verdicts_[std::size_t(s)]);
    add_notes(notes, verdict_notes_[std::size_t(s)]);
  }
  return worst;
}

}  // namespace renth
