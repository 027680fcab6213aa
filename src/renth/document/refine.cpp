#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/refine.hpp>

namespace renth {

namespace {

double figure_of(const std::map<std::string, double>& of, const std::string& response) {
  const auto found = of.find(response);
  return found == of.end() ? NAN : found->second;
}

Rows responses_of(const RefineRound& round) {
  Rows out;
  for (const auto& [response, q2] : round.q2)
    out.push_back({text("response", "", response),
                   number("q2_before", "", figure_of(round.q2_before, response)), number("q2", "", q2)});
  return out;
}

/// Of each response from the first round to the last.
Rows responses_of(const Study& study, const RefineResult& r) {
  Rows out;
  for (const auto& [response, q2] : r.q2) {
    const auto verdict = r.verdicts.find(response);
    out.push_back(
        {text("response", "response", response).as(with_unit(response, response_of(study, response).unit)),
         number("q2_before", "Q² at first",
                r.rounds.empty() ? NAN : figure_of(r.rounds.front().q2_before, response)),
         number("q2", "Q² now", q2),
         text("verdict", "verdict", verdict == r.verdicts.end() ? "" : std::string(name(verdict->second)))});
  }
  return out;
}

}  // namespace

Json to_document(const Study& study, const RefineResult& r) {
  Rows rounds;
  for (const RefineRound& round : r.rounds)
    rounds.push_back({whole("round", "", round.round), text("batch", "", round.batch),
                      raw("runs", round.runs), raw("failed", round.failed),
                      list("responses", responses_of(round)),
                      number("best_error_percent", "", round.best_error_percent)});
  return json_of(Figures{text("strategy", "", r.strategy), yes_no("reached", "", r.reached),
                         yes_no("stopped", "", r.stopped), whole("spent", "", r.spent),
                         whole("budget", "", r.budget), whole("failed", "", r.failed), text("why", "", r.why),
                         list("responses", responses_of(study, r)), list("rounds", std::move(rounds)),
                         raw("notes", notes_document(r.notes))});
}

std::string to_table(const Study& study, const RefineResult& r) {
  std::string out = fmt::format("{}: {} of {} runs spent in {} rounds, {}.\n",
                                r.reached   ? "Reached"
                                : r.stopped ? "Stopped"
                                            : "Ended",
                                r.spent, r.budget, r.rounds.size(), r.why);
  for (const RefineRound& round : r.rounds) out += "  " + round.says + "\n";
  if (!r.q2.empty()) out += "\n" + table_of(responses_of(study, r));
  out += "\n" + notes_of(r.notes);
  out += r.stopped          ? next_step("renth refine", "goes on where it was stopped")
         : r.to_be_measured ? next_step("renth runs --where \"status == 'planned'\" --export runs.csv",
                                        "measure these, then renth import runs.csv and renth refine")
         : r.reached        ? next_step("renth seek", "then renth confirm")
                            : next_step("renth trust", "or renth refine --budget N for more");
  return out;
}

}  // namespace renth
