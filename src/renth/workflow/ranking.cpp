#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/numeric/random.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {

RankResult rank_responses(Session& session, const std::vector<std::string>& responses,
                          const RankOptions& options, std::optional<Seed> seed) {
  const FittedStudy fitted(session, responses);
  const Predictor& predictor = fitted.predictor();
  const Study& study = session.study;
  RankResult out;
  out.level = options.level;
  out.notes = fitted.notes();
  for (const Response& r : chosen_responses(study, responses, true)) {
    const int index = study.response(r.name);
    if (!predictor.has(index)) continue;
    RankResult::OfResponse of;
    of.response = r.name;
    of.verdict = fitted.note_verdicts(index, out.notes);
    std::vector<Evaluate> folds;
    // Where every run is a fold, some of them tell as much as all.
    constexpr int most_folds = 20;
    RankOptions ranking = options;
    ranking.all_folds = predictor.model().folds(index);
    const int asked = std::min(most_folds, ranking.all_folds);
    for (int k = 0; k < asked; ++k) {
      const int f = int(std::int64_t(k) * ranking.all_folds / asked);
      folds.push_back([&predictor, index, f](Points x) { return predictor.mean_of(index, x, f); });
    }
    of.ranking = rank_parameters(
        study.space, [&predictor, index](Points x) { return predictor.mean_of(index, x); }, folds, ranking,
        seed.value_or(study.seed));
    if (of.ranking.method == "shapley")
      add_note(out.notes, "limits_cut_the_box",
               "the limits cut the box, so the parameters are not independent and Sobol' indices are not "
               "defined as usual: share is the Shapley effect, which adds up to 1");
    else
      add_note(out.notes, "shares",
               "share is the part of the variance that a parameter makes alone (first-order Sobol' index), "
               "total what would go if it were held; unexplained is what interactions of three or more make");
    out.responses.push_back(std::move(of));
  }
  return out;
}

}  // namespace renth
