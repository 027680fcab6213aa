#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/refine.hpp>

namespace renth {

Json to_document(const Study&, const RefineResult& r) {
  const auto figures = [](const std::map<std::string, double>& q2) {
    Json out = Json::object();
    for (const auto& [name, value] : q2) out[name] = json_number(value);
    return out;
  };
  Json rounds = Json::array();
  for (const RefineRound& round : r.rounds)
    rounds.push_back({{"round", round.round},
                      {"batch", round.batch},
                      {"runs", round.runs},
                      {"failed", round.failed},
                      {"q2_before", figures(round.q2_before)},
                      {"q2", figures(round.q2)},
                      {"best_error_percent", json_number(round.best_error_percent)}});
  Json verdicts = Json::object();
  for (const auto& [name, verdict] : r.verdicts) verdicts[name] = std::string(renth::name(verdict));
  return {{"strategy", r.strategy},
          {"reached", r.reached},
          {"stopped", r.stopped},
          {"spent", r.spent},
          {"budget", r.budget},
          {"failed", r.failed},
          {"why", r.why},
          {"q2", figures(r.q2)},
          {"verdicts", verdicts},
          {"rounds", rounds},
          {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const RefineResult& r) {
  std::string out = fmt::format("{}: {} of {} runs spent in {} rounds, {}.\n",
                                r.reached   ? "Reached"
                                : r.stopped ? "Stopped"
                                            : "Ended",
                                r.spent, r.budget, r.rounds.size(), r.why);
  for (const RefineRound& round : r.rounds) out += "  " + round.says + "\n";
  if (!r.q2.empty()) {
    TextTable table({"response", "Q² at first", "Q² now", "verdict"});
    for (const auto& [name, q2] : r.q2) {
      double first = NAN;
      if (!r.rounds.empty())
        if (const auto found = r.rounds.front().q2_before.find(name);
            found != r.rounds.front().q2_before.end())
          first = found->second;
      const auto verdict = r.verdicts.find(name);
      table.text(with_unit(name, study.responses[study.response(name)].unit))
          .number(first)
          .number(q2)
          .text(verdict == r.verdicts.end() ? "" : std::string(renth::name(verdict->second)))
          .end_row();
    }
    out += "\n" + table.str();
  }
  out += "\n" + notes_of(r.notes);
  out += r.stopped ? "next: renth refine, which goes on where it was stopped\n"
         : r.to_be_measured
             ? "next: renth runs --where \"status == planned\", measure, renth import, renth refine\n"
         : r.reached ? "next: renth seek, renth confirm\n"
                     : "next: renth trust, or renth refine --budget N for more\n";
  return out;
}

}  // namespace renth
