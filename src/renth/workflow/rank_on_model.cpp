#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/base/names.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/trajectories.hpp>
#include <renth/sensitivity/exact_shares.hpp>
#include <renth/sensitivity/runs.hpp>
#include <renth/sensitivity/slopes.hpp>
#include <renth/workflow/ranking_ways.hpp>

namespace renth {
namespace {

/// The number of the fold that is asked as the k-th of some, spread over all.
int fold_asked(int k, int asked, int all) {
  return int(std::int64_t(k) * all / asked);
}

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
    ranking.runs = ranking.runs == 0 ? of_this.runs : std::min(ranking.runs, of_this.runs);
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

/// Shares without sampling, of the surrogate and of the models of its folds, where all are sums of products.
std::vector<VarianceShares> exact_shares_of(const Space& space, const Model::Part* part, int folds) {
  if (!part || !space.limits().empty()) return {};
  std::vector<std::optional<VarianceShares>> found(std::size_t(folds) + 1);
  found[0] = exact_shares(space, *part->surrogate);
  if (!found[0]) return {};
  const auto& models = part->folds.models();
  parallel_for(folds, [&](std::int64_t k) {
    found[std::size_t(k) + 1] =
        exact_shares(space, *models[std::size_t(fold_asked(int(k), folds, int(models.size())))]);
  });
  std::vector<VarianceShares> out;
  for (const auto& one : found) {
    if (!one) return {};
    out.push_back(*one);
  }
  return out;
}

/// Ranked by what rests on a surrogate: asks its mean, and the models of its folds.
struct OnModel {
  const Predictor& predictor;
  int index = 0;
  Evaluate whole;
  std::vector<Evaluate> folds;
};

OnModel on_model(const Predictor& predictor, int index) {
  OnModel out{predictor, index, [&predictor, index](Points x) { return predictor.mean_of(index, x); }, {}};
  // Where every run is a fold, some of them tell as much as all.
  constexpr int most_folds = 20;
  const int all = predictor.model().folds(index), asked = std::min(most_folds, all);
  for (int k = 0; k < asked; ++k) {
    const int f = fold_asked(k, asked, all);
    out.folds.push_back([&predictor, index, f](Points x) { return predictor.mean_of(index, x, f); });
  }
  return out;
}

Ranking shares_of(Session& session, const OnModel& on, const RankAsked& asked, RankResult::OfResponse& of,
                  Notes& notes) {
  RankOptions ranking = asked.options;
  ranking.all_folds = on.predictor.model().folds(on.index);
  of.uncaptured = uncaptured_by(session, on.index, ranking);
  ranking.left_out = left_out_of_all(session, on.index);
  note_left_out(session.study, of.response, ranking, notes);
  ranking.exact = exact_shares_of(
      session.study.space, on.predictor.model().parts[std::size_t(on.index)].get(), int(on.folds.size()));
  Ranking out = rank_parameters(session.study.space, on.whole, on.folds, ranking,
                                asked.seed.value_or(session.study.seed));
  if (asked.under_scatter) {
    ranking.exact.clear();
    ranking.inputs = under_scatter(session.study.space, setting_of(session, asked));
    of.scatter = rank_parameters(session.study.space, on.whole, on.folds, ranking,
                                 asked.seed.value_or(session.study.seed));
    if (!session.study.space.limits().empty())
      add_note(notes, "scatter_and_limits",
               "under scatter the limits between parameters are not counted: what breaks one is in the "
               "spread too");
  }
  if (out.method == "shapley")
    add_note(notes, "limits_cut_the_box",
             "the limits cut the box, so the parameters are not independent and Sobol' indices are not "
             "defined as usual: share is the Shapley effect, which adds up to 1");
  else
    add_note(notes, "shares",
             "share is the part of the variance that a parameter makes alone (first-order Sobol' index), "
             "total what would go if it were held; unexplained is what interactions of three or more make");
  return out;
}

Ranking derivatives_of(Session& session, const OnModel& on, const RankAsked& asked, Notes& notes) {
  add_note(
      notes, "bound",
      "share is a bound on the total share of the variance (at most 1), by the mean squared slope; half a "
      "mean squared difference stands for it where a parameter has values and no slope");
  return derivatives_of_model(session.study.space, on.whole, on.folds,
                              {asked.options.samples, asked.options.replicates, asked.options.level},
                              asked.seed.value_or(session.study.seed));
}

Ranking local_of(Session& session, const OnModel& on, const RankAsked& asked, Notes& notes) {
  const Study& study = session.study;
  const Eigen::VectorXd at = setting_of(session, asked);
  const Eigen::Index outputs = study.outputs(study.responses[std::size_t(on.index)]);
  const auto variance = [&](const Eigen::VectorXd& a, const Eigen::VectorXd& b) {
    Eigen::MatrixXd two(2, a.size());
    two.row(0) = a;
    two.row(1) = b;
    double sd = 0;  // of the mean of a curve, as if its errors were the same along it
    for (Eigen::Index k = 0; k < outputs; ++k) {
      const Eigen::MatrixXd c = on.predictor.covariance(on.index, two, k);
      sd += std::sqrt(std::max(0.0, c(0, 0) + c(1, 1) - 2 * c(1, 0))) / double(outputs);
    }
    return sd * sd;
  };
  if (!on.predictor.inside(at))
    add_note(notes, "outside",
             "the setting lies outside what the runs cover: the slopes there are extrapolated");
  add_note(notes, "local",
           "share is the squared swing over the sum of all; a swing goes as far as the limits let one "
           "parameter go "
           "with the others held");
  return local_effects(study.space, on.whole, variance, at, asked.options.level);
}

/// Elementary effects of paths through a surrogate.
Ranking paths_on_model(Session& session, const OnModel& on, const RankAsked& asked, Notes& notes) {
  constexpr int paths = 200;
  const Space& space = session.study.space;
  const Plan plan =
      trajectories(space, paths * int(space.size() + 1), asked.seed.value_or(session.study.seed));
  Data data;
  data.inputs = plan.points;
  data.outputs = on.whole(plan.points).rowwise().mean();
  add_note(notes, "on_surrogate",
           fmt::format("no batch of trajectories has this response: {} paths through the surrogate", paths));
  return elementary_effects(space, data, asked.options.level);
}

}  // namespace

Eigen::VectorXd setting_of(const Session& session, const RankAsked& asked) {
  return asked.at.value_or(session.study.space.nominal());
}

Ranking rank_on_model(Session& session, const Predictor& predictor, int index, const std::string& method,
                      const RankAsked& asked, RankResult::OfResponse& of, Notes& notes) {
  const OnModel on = on_model(predictor, index);
  if (method == "derivatives") return derivatives_of(session, on, asked, notes);
  if (method == "local") return local_of(session, on, asked, notes);
  if (method == "trajectories") return paths_on_model(session, on, asked, notes);
  return shares_of(session, on, asked, of, notes);
}

}  // namespace renth
