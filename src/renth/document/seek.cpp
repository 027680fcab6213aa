#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/seek.hpp>

namespace renth {

namespace {

/// The desirability of a response in a proposal; NaN without a goal.
double desirability_of(const SeekOutcome& r, std::size_t proposal, int response) {
  for (std::size_t g = 0; g < r.goal_response.size(); ++g)
    if (r.goal_response[g] == response) return r.result.proposals[proposal].of_goal[g];
  return NAN;
}

/// What a response becomes in one proposal; of a curve at one axis point.
Figures of_response(const Study& study, const SeekOutcome& r, std::size_t i, const ResponsePrediction& one,
                    Eigen::Index q) {
  const Response& response = study.responses[std::size_t(one.response)];
  const auto row = Eigen::Index(i);
  const double sd = one.sd(row, q);
  return {
      number("mean", "mean", one.mean(row, q)).known_to(sd), number("sd", "", sd),
      bounds("prediction", "of a run", one.prediction_low(row, q), one.prediction_high(row, q), r.level)
          .known_to(sd),
      number("desirability", "desirability", desirability_of(r, i, one.response), 3),
      yes_no("within", "within limits", r.within[i].at(response.name), response.accept.any() ? "yes" : "")};
}

Figures responses_of(const Study& study, const SeekOutcome& r, std::size_t i) {
  Figures out;
  for (const ResponsePrediction& one : r.predicted.responses) {
    Rows rows;
    for (Eigen::Index q = 0; q < one.mean.cols(); ++q) rows.push_back(of_response(study, r, i, one, q));
    const Response& response = study.responses[std::size_t(one.response)];
    Figures figures = response.is_curve() ? along_axis(rows) : rows.front();
    if (response.is_curve()) {  // one goal and one verdict of all of it
      figures.resize(3);
      figures.insert(figures.end(), rows.front().begin() + 3, rows.front().end());
    }
    out.push_back(group(response.name, std::move(figures)));
  }
  return out;
}

/// The names of parameters.
std::vector<std::string> names_of(const Study& study, const std::vector<Eigen::Index>& parameters) {
  std::vector<std::string> out;
  for (const Eigen::Index j : parameters) out.push_back(study.space[j].name);
  return out;
}

/// A proposal by itself: its place, how good it is, where it is.
Figures figures(const Study& study, const SeekOutcome& r, std::size_t i) {
  const Proposal& p = r.result.proposals[i];
  return {
      whole("rank", "proposal", std::int64_t(i) + 1),
      number("desirability", "desirability", p.desirability, 3),
      setting("point", study, p.point),
      raw("limited_by", json_texts(p.limited_by)),
      raw("free", names_of(study, p.free)),
      number("failure_risk", std::isfinite(r.failure_risk[i]) ? "risk of failing" : "", r.failure_risk[i], 2),
      yes_no("inside", "", r.predicted.inside[i] != 0)};
}

}  // namespace

Json to_document(const Study& study, const SeekOutcome& r) {
  Rows proposals;
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    proposals.push_back(figures(study, r, i));
    proposals.back().push_back(group("responses", responses_of(study, r, i)));
  }
  Notes notes = r.notes;
  if (!r.failure_risk.empty() && !std::isfinite(r.failure_risk.front()))
    notes.push_back(
        {"no_failure", "failure_risk is null: no run has failed, so there is nothing to learn it from"});
  notes.push_back({"front", "front and near_best are null: this version does not compute them"});
  return json_of(Figures{yes_no("feasible", "", r.result.feasible), list("proposals", proposals),
                         nothing("front"), nothing("near_best"), number("level", "", r.level),
                         raw("notes", notes_document(notes))});
}

namespace {

/// What the responses become in one proposal.
std::string proposal_table(const Study& study, const SeekOutcome& r, std::size_t i) {
  Rows lines;
  for (const ResponsePrediction& one : r.predicted.responses) {
    const Response& response = study.responses[std::size_t(one.response)];
    if (response.is_curve()) continue;
    lines.push_back({text("", "response", with_unit(response.name, response.unit)),
                     group("", of_response(study, r, i, one, 0))});
  }
  return table_of(lines);
}

}  // namespace

std::string to_table(const Study& study, const SeekOutcome& r) {
  std::string out = r.result.feasible
                        ? fmt::format("Found {} settings that hold every limit by the surrogates' means.\n",
                                      r.result.proposals.size())
                        : std::string("NOTHING HOLDS EVERY LIMIT. These settings come nearest.\n");
  Rows points;
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) points.push_back(figures(study, r, i));
  out += "\n" + table_of(points);
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    const std::vector<std::string>& limits = r.result.proposals[i].limited_by;
    out += fmt::format("\nproposal {}{}\n", i + 1,
                       r.predicted.inside[i] ? "" : "   (OUTSIDE what the runs cover)");
    out += proposal_table(study, r, i);
    if (!limits.empty()) out += fmt::format("  limited by {}\n", fmt::join(limits, "; "));
    if (const auto free = names_of(study, r.result.proposals[i].free); !free.empty())
      out += fmt::format("  {} {} no difference here and {} at nominal\n", fmt::join(free, ", "),
                         free.size() == 1 ? "makes" : "make", free.size() == 1 ? "stays" : "stay");
  }
  return out + "\n" + notes_of(r.notes) + next_step("renth confirm");
}

}  // namespace renth
