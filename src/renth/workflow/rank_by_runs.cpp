#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <renth/base/error.hpp>
#include <renth/numeric/random.hpp>
#include <renth/sensitivity/runs.hpp>
#include <renth/workflow/ranking_ways.hpp>
#include <set>

namespace renth {
namespace {

/// Some of the runs, with the mean of their outputs.
RunData kept(const RunData& from, const std::vector<Eigen::Index>& rows, const Eigen::VectorXd& values) {
  RunData out;
  out.data = from.data.rows(rows);
  out.data.outputs = values;
  for (const Eigen::Index i : rows) {
    out.ids.push_back(from.ids[std::size_t(i)]);
    out.batches.push_back(from.batches[std::size_t(i)]);
  }
  return out;
}

/// Of a derived response what the runs' own outputs give, where all that it rests on is there.
RunData derived_runs(Session& session, const Response& response, Notes& notes) {
  const Study& study = session.study;
  const std::vector<int> sources = sources_of(study, study.response(response.name));
  std::map<std::int64_t, int> in;
  RunData all;
  for (const int s : sources) {
    all = collect_data(session, study.responses[std::size_t(s)], {"fit"});
    add_notes(notes, all.notes);
    for (const std::int64_t id : all.ids) ++in[id];
  }
  std::map<std::int64_t, double> values;
  for (const Run& run : session.store.runs()) {
    const auto found = in.find(run.id);
    if (found == in.end() || found->second < int(sources.size())) continue;
    if (const auto value = computed_value(study, run, response)) values[run.id] = *value;
  }
  std::vector<Eigen::Index> rows;
  std::vector<double> y;
  for (std::size_t i = 0; i < all.ids.size(); ++i)
    if (const auto found = values.find(all.ids[i]); found != values.end()) {
      rows.push_back(Eigen::Index(i));
      y.push_back(found->second);
    }
  return kept(all, rows, Eigen::Map<const Eigen::VectorXd>(y.data(), Eigen::Index(y.size())));
}

/// Done runs with the response, of a curve those with all of it, as its mean.
RunData runs_of_one_output(Session& session, const Response& response, Notes& notes) {
  if (response.derive) {
    if (response.axis >= 0)
      throw Error("a derived curve has no surrogate and no runs of its own", "rank",
                  "rank the curve that it is derived from");
    return derived_runs(session, response, notes);
  }
  RunData out = collect_data(session, response, {"fit"});
  add_notes(notes, out.notes);
  if (out.data.outputs.cols() == 1) return out;
  std::vector<Eigen::Index> whole;
  for (Eigen::Index i = 0; i < out.data.size(); ++i)
    if (out.data.outputs.row(i).allFinite()) whole.push_back(i);
  add_note(notes, "curve_mean",
           fmt::format("{}: a curve is ranked by its mean along the axis", response.name));
  return kept(out, whole, out.data.outputs(whole, Eigen::all).rowwise().mean());
}

/// The runs of batches of trajectories, in the order in which they were planned; all if there is none such.
Data in_paths(Session& session, RunData runs) {
  std::set<std::string> paths;
  for (const Batch& b : session.store.batches())
    if (b.method == "trajectories") paths.insert(b.name);
  std::vector<std::size_t> order;
  for (std::size_t i = 0; i < runs.ids.size(); ++i)
    if (paths.empty() || paths.contains(runs.batches[i])) order.push_back(i);
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return runs.ids[a] < runs.ids[b]; });
  return runs.data.rows(std::vector<Eigen::Index>(order.begin(), order.end()));
}

void note_on_runs(const std::string& method, Notes& notes) {
  const std::map<std::string, std::string> said = {
      {"effects",
       "share is the part of the runs' variance that a term explains, given all others; |t| beyond the line "
       "is "
       "significant"},
      {"correlations",
       "share is the squared linear correlation; partial is of ranks, all other parameters held"},
      {"first-order", "share is the part of the variance that a smooth curve in one parameter explains"},
      {"dependence",
       "share is the squared distance correlation, which is 0 only for what is independent, and no part of "
       "the "
       "variance; p is corrected for the number of parameters"},
      {"trajectories",
       "effects are changes of the response per span; share is the squared absolute mean over the sum of "
       "all"}};
  add_note(notes, method, said.at(method));
}

}  // namespace

bool has_paths(Session& session) {
  const auto batches = session.store.batches();
  return std::any_of(batches.begin(), batches.end(),
                     [](const Batch& b) { return b.method == "trajectories"; });
}

Ranking rank_by_runs(Session& session, const std::string& method, const RankAsked& asked,
                     const Response& response, RankResult::OfResponse& of, Notes& notes) {
  const Space& space = session.study.space;
  RunData runs = runs_of_one_output(session, response, notes);
  const Seed seed = asked.seed.value_or(session.study.seed);
  const double level = asked.options.level;
  note_on_runs(method, notes);
  of.basis = "runs";
  try {
    if (method == "trajectories") {
      const Data data = in_paths(session, std::move(runs));
      of.runs = int(data.size());
      return elementary_effects(space, data, level);
    }
    of.runs = int(runs.data.size());
    if (method == "effects") return effects_of_runs(space, runs.data, level);
    if (method == "correlations") return correlations_of_runs(space, runs.data, level);
    if (method == "first-order") return first_order_of_runs(space, runs.data, seed, level);
    return dependence_of_runs(space, runs.data, seed, level);
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::request) throw;
    throw Error(fmt::format("{}: {}", response.name, error.problem()), error.place(),
                method == "trajectories"
                    ? "renth plan trajectories, renth run; or rank on a surrogate: renth fit"
                : runs.data.size() == 0 ? "renth run, or renth import FILE"
                                        : error.remedy());
  }
}

}  // namespace renth
