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

}  // namespace

Json to_document(const Study& study, const SeekOutcome& r) {
  Json proposals = Json::array();
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    const Proposal& p = r.result.proposals[i];
    const auto row = Eigen::Index(i);
    Json responses = Json::object();
    for (const ResponsePrediction& one : r.predicted.responses) {
      const Response& response = study.responses[std::size_t(one.response)];
      responses[response.name] = {
          {"mean", json_row(response, one.mean, row)},
          {"sd", json_row(response, one.sd, row)},
          {"prediction", json_bounds(response, one.prediction_low, one.prediction_high, row)},
          {"desirability", json_number(desirability_of(r, i, one.response))},
          {"within", r.within[i].at(response.name)}};
    }
    proposals.push_back({{"rank", i + 1},
                         {"point", json_point(study, p.point)},
                         {"desirability", json_number(p.desirability)},
                         {"limited_by", json_texts(p.limited_by)},
                         {"inside", r.predicted.inside[i] != 0},
                         {"responses", responses}});
  }
  Notes notes = r.notes;
  notes.push_back({"front", "front and near_best are null: this version does not compute them"});
  return {{"feasible", r.result.feasible},
          {"proposals", proposals},
          {"front", nullptr},
          {"near_best", nullptr},
          {"notes", notes_document(notes)}};
}

namespace {

/// What the responses become in one proposal.
std::string proposal_table(const Study& study, const SeekOutcome& r, std::size_t i) {
  TextTable table({"response", "mean", "95 % of a run", "desirability", "within limits"});
  const auto row = Eigen::Index(i);
  for (const ResponsePrediction& one : r.predicted.responses) {
    const Response& response = study.responses[std::size_t(one.response)];
    if (response.is_curve()) continue;
    table.text(with_unit(response.name, response.unit))
        .text(pretty(one.mean(row, 0)))
        .text(interval(one.prediction_low(row, 0), one.prediction_high(row, 0)))
        .number(desirability_of(r, i, one.response), 3)
        .text(!response.accept.any()          ? ""
              : r.within[i].at(response.name) ? "yes"
                                              : "NO")
        .end_row();
  }
  return table.str();
}

}  // namespace

std::string to_table(const Study& study, const SeekOutcome& r) {
  std::string out = r.result.feasible
                        ? fmt::format("Found {} settings that hold every limit by the surrogates' means.\n",
                                      r.result.proposals.size())
                        : std::string("NOTHING HOLDS EVERY LIMIT. These settings come nearest.\n");
  std::vector<std::string> header = {"proposal", "desirability"};
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  TextTable points(header);
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    points.text(std::to_string(i + 1)).number(r.result.proposals[i].desirability, 3);
    add_point(points, study, r.result.proposals[i].point);
    points.end_row();
  }
  out += "\n" + points.str();
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    const std::vector<std::string>& limits = r.result.proposals[i].limited_by;
    out += fmt::format("\nproposal {}{}\n", i + 1,
                       r.predicted.inside[i] ? "" : "   (OUTSIDE what the runs cover)");
    out += proposal_table(study, r, i);
    if (!limits.empty()) out += fmt::format("  limited by {}\n", fmt::join(limits, "; "));
  }
  return out + "\n" + notes_of(r.notes) + "next: renth confirm\n";
}

}  // namespace renth
