#include <fmt/format.h>

#include <renth/numeric/random.hpp>
#include <renth/workflow/extremes.hpp>

namespace renth {
namespace {

/// The scalar responses named, or all that are ready.
std::vector<int> scalars(const Study& study, const Predictor& predictor,
                         const std::vector<std::string>& names) {
  std::vector<int> out;
  for (const Response& r : chosen_responses(study, names, true)) {
    const int index = study.response(r.name);
    if (r.axis < 0 && predictor.has(index))
      out.push_back(index);
    else if (!names.empty())
      throw Error(r.name + " is a curve", "--response " + r.name,
                  "name a number derived from it, such as max(" + r.name + ")");
  }
  return out;
}

}  // namespace

ExtremesResult extremes_of_responses(Session& session, const std::vector<std::string>& responses,
                                     std::optional<Seed> seed) {
  const FittedStudy fitted(session, responses);
  const Predictor& predictor = fitted.predictor();
  ExtremesResult out;
  out.notes = fitted.notes();
  for (const int index : scalars(session.study, predictor, responses)) {
    const auto mean = [&](Points x) { return predictor.mean_of(index, x); };
    fitted.note_verdicts(index, out.notes);
    out.responses.push_back({session.study.responses[index].name,
                             extremes(session.study.space, mean, 0, {}, seed.value_or(session.study.seed))});
    for (const Maximum* m : {&out.responses.back().extremes.smallest, &out.responses.back().extremes.largest})
      if (!predictor.inside(m->point))
        add_note(out.notes, "outside",
                 fmt::format("an extreme of {} lies outside the region that the runs cover: confirm it "
                             "before believing it",
                             session.study.responses[index].name));
  }
  return out;
}

}  // namespace renth
