#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/names.hpp>
#include <renth/numeric/random.hpp>
#include <renth/workflow/ranking.hpp>

namespace renth {

namespace {

/// Parameters that none of the surrogates behind a response knows.
std::vector<Eigen::Index> left_out_of_all(Session& session, int index) {
  std::map<std::string, int> times;
  const std::vector<int> sources = sources_of(session.study, index);
  for (const int s : sources)
    if (const auto stored = session.surrogate(session.study.responses[std::size_t(s)].name))
      for (const std::string& name : left_out_of(*stored)) ++times[name];
  std::vector<Eigen::Index> out;
  for (const auto& [name, count] : times)
    if (const auto j = session.study.space.find(name); j && count == int(sources.size())) out.push_back(*j);
  return out;
}

/// Tells the ranking what the surrogate misses; of a derived response the most that one behind it misses.
/// \returns  1 − Q², not below 0; NaN if nobody knows, and of a derived one.
double uncaptured_by(Session& session, int index, RankOptions& ranking) {
  double out = undefined;
  for (const int s : sources_of(session.study, index)) {
    const Response& response = session.study.responses[std::size_t(s)];
    const auto stored = session.surrogate(response.name);
    const RunData data = fitted_data(session, response, *stored);
    if (!is_as_fitted(data, *stored)) continue;
    const double q2 = predictive_error(data.data, stored->cv).q2;
    RankOptions of_this;
    tell_what_is_missed(*stored->surrogate, data.data, q2, of_this);
    ranking.missed = std::max(ranking.missed, of_this.missed);
    ranking.noise = std::max(ranking.noise, of_this.noise);
    if (s == index) out = std::max(0.0, 1 - q2);
  }
  return out;
}

void note_left_out(const Study& study, const std::string& response, const RankOptions& ranking,
                   Notes& notes) {
  if (ranking.left_out.empty()) return;
  std::vector<std::string> names;
  for (const Eigen::Index j : ranking.left_out) names.push_back(study.space[j].name);
  add_note(
      notes, "left_out",
      fmt::format(
          "{}: the surrogate leaves {} out, so the share is 0; the interval reaches to what it misses of "
          "the variance",
          response, listed(names)));
}

}  // namespace

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
    of.uncaptured = uncaptured_by(session, index, ranking);
    ranking.left_out = left_out_of_all(session, index);
    note_left_out(study, r.name, ranking, out.notes);
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
