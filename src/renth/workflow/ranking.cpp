#include <fmt/format.h>

#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/workflow/ranking_ways.hpp>

namespace renth {
namespace {

/// Has all that a response rests on a surrogate of these parameters?
bool has_surrogate(Session& session, int index) {
  Notes told_later;
  for (const int s : sources_of(session.study, index))
    if (!current_surrogate(session, session.study.responses[std::size_t(s)], told_later)) return false;
  return true;
}

const RankMethod& method_of(const std::string& name) {
  std::vector<std::string> known;
  for (const RankMethod& m : rank_methods()) {
    if (m.name == name) return m;
    known.push_back(m.name);
  }
  refuse_unknown("method", name, "rank", known);
}

}  // namespace

const std::vector<RankMethod>& rank_methods() {
  static const std::vector<RankMethod> all = {
      {"shares", "of the variance of the surrogate: alone, with interactions, and pairs"},
      {"derivatives", "mean squared slopes of the surrogate, and what they bound"},
      {"local", "slopes and swings of the surrogate round one setting (--at)"},
      {"effects", "standardised effects of a regression on the runs", true},
      {"correlations", "linear, of ranks, and partial, of the runs", true},
      {"first-order", "shares of variance by smooth curves through the runs", true},
      {"dependence", "of any shape, by the distances of the runs", true},
      {"trajectories", "elementary effects of runs along paths, or of paths through the surrogate"}};
  return all;
}

std::vector<Eigen::Index> parameters_by_structure(const RankResult& ranked, Eigen::Index parameters) {
  struct Row {
    std::size_t best = 0;
    double most = -1;
  };
  std::vector<Row> rows(static_cast<std::size_t>(parameters));
  std::vector<Eigen::Index> out;
  for (Eigen::Index j = 0; j < parameters; ++j) out.push_back(j);
  for (std::size_t i = 0; i < ranked.responses.size(); ++i)
    for (const RankedParameter& p : ranked.responses[i].ranking.parameters)
      if (Row& row = rows[std::size_t(p.parameter)]; p.share > row.most) row = {i, p.share};
  std::stable_sort(out.begin(), out.end(), [&](Eigen::Index a, Eigen::Index b) {
    const Row &x = rows[std::size_t(a)], &y = rows[std::size_t(b)];
    return x.best != y.best ? x.best < y.best : x.most > y.most;
  });
  return out;
}

RankResult rank_responses(Session& session, const RankAsked& asked) {
  const Study& study = session.study;
  if (!asked.method.empty()) method_of(asked.method);
  const bool only_runs = !asked.method.empty() && method_of(asked.method).by_runs,
             needs_model =
                 asked.method == "shares" || asked.method == "derivatives" || asked.method == "local";
  if (asked.screen && !asked.method.empty() && asked.method != "shares")
    throw Error("what may be fixed follows from shares on a surrogate", "--screen",
                "leave the method out, or rank shares");
  if (asked.under_scatter && !asked.method.empty() && asked.method != "shares")
    throw Error("the spread in production has shares, and nothing else", "--under-scatter",
                "leave the method out, or rank shares");
  if (asked.under_scatter) under_scatter(study.space, setting_of(session, asked));
  const std::vector<Response> wanted = chosen_responses(study, asked.responses, true);
  std::vector<std::string> fitted_names = asked.responses;  // what is missing is said as everywhere
  if (!needs_model) {
    fitted_names.clear();
    for (const Response& r : wanted)
      if (!only_runs && has_surrogate(session, study.response(r.name))) fitted_names.push_back(r.name);
  }
  std::optional<FittedStudy> fitted;
  if (needs_model || !fitted_names.empty()) fitted.emplace(session, fitted_names);
  RankResult out;
  out.level = asked.options.level;
  out.at = setting_of(session, asked);
  if (fitted) out.notes = fitted->notes();
  std::string skipped;
  for (const Response& r : wanted) {
    const int index = study.response(r.name);
    const bool ready = fitted && fitted->has(index);
    RankResult::OfResponse of;
    of.response = r.name;
    std::string method = asked.method.empty() ? ready ? "shares" : "effects" : asked.method;
    const bool runs =
        method_of(method).by_runs || (method == "trajectories" && (has_paths(session) || !ready));
    if (!runs && !ready) continue;
    try {
      if (runs) {
        of.ranking = rank_by_runs(session, method, asked, r, of, out.notes);
        if (asked.method.empty())
          add_note(out.notes, "by_runs",
                   fmt::format("{} has no surrogate yet: ranked by effects of its runs", r.name));
      } else {
        of.verdict = fitted->note_verdicts(index, out.notes);
        of.ranking = rank_on_model(session, fitted->predictor(), index, method, asked, of, out.notes);
      }
    } catch (const Error& error) {
      // Of all responses some may have nothing to rank; of those named that is an error.
      if (!asked.responses.empty() || error.kind() != ErrorKind::request || wanted.size() == 1) throw;
      add_note(out.notes, "not_ranked", error.what());
      skipped = error.what();
      continue;
    }
    for (const std::string& remark : of.ranking.remarks)
      add_note(out.notes, "remark", fmt::format("{}: {}", r.name, remark));
    if (r.is_curve() && method == "shares")
      add_note(out.notes, "whole_curve",
               fmt::format(
                   "{} is a curve: its shares are of the whole curve; how they change along {}: renth draw "
                   "importance-curve --response {}",
                   r.name, study.axis_of(r)->name, r.name));
    out.responses.push_back(std::move(of));
  }
  if (out.responses.empty())
    throw Error(skipped.empty() ? "no response can be ranked" : skipped, "rank", "renth run, then renth fit");
  if (asked.screen) out.screen = screen_parameters(session, out, *asked.screen);
  return out;
}

}  // namespace renth
