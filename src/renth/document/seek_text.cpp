// The printed table of a search.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/seek.hpp>
#include <renth/document/seek_parts.hpp>

namespace renth {

namespace {

/// What the responses become in one proposal.
std::string proposal_table(const Study& study, const SeekOutcome& r, std::size_t i) {
  Rows lines;
  for (const ResponsePrediction& one : r.predicted.responses) {
    const Response& response = study.responses[std::size_t(one.response)];
    if (response.is_curve()) continue;
    lines.push_back({text("", "response", with_unit(response.name, response.unit)),
                     group("", figures_of_response(study, r, i, one, 0))});
  }
  return table_of(lines);
}

/// One line for each limit that binds: what it would bring if it gave way, in its own unit where it is a
/// span.
std::string gives_text(const Study& study, const std::vector<Give>& gives) {
  std::string out;
  for (std::size_t i = 0; i < gives.size();) {
    const std::string& limit = gives[i].limit;
    std::string what = fmt::format("  each unit by which \"{}\" gave way would bring", limit);
    for (const Parameter& p : study.space.parameters())
      if (limit.rfind(p.name + " at the ", 0) == 0)
        what = fmt::format("  each {} {} of {} than its span allows would bring",
                           p.unit.empty() ? "unit" : p.unit,
                           limit.find("high end") != std::string::npos ? "more" : "less", p.name);
    std::vector<std::string> changes;
    for (; i < gives.size() && gives[i].limit == limit; ++i) {
      const Response& r = study.responses[std::size_t(gives[i].response)];
      changes.push_back(
          fmt::format("{} {:+.3g}{}{}", r.name, gives[i].per_unit, r.unit.empty() ? "" : " ", r.unit));
    }
    out += fmt::format("{} {}\n", what, fmt::join(changes, ", "));
  }
  return out;
}

std::string range_text(const Parameter& p, double low, double high, const std::vector<double>& values) {
  if (!p.is_choice()) {
    if (!std::isfinite(low)) return "—";
    return low == high ? fmt::format("{:.4g}", low) : fmt::format("{:.4g} … {:.4g}", low, high);
  }
  std::vector<std::string> names;
  for (const double v : values) names.push_back(p.choices[std::size_t(v)]);
  return fmt::format("{}", fmt::join(names, ", "));
}

std::string near_best_text(const Study& study, const SeekOutcome& r) {
  if (!r.near_best) return "";
  const NearBest& n = *r.near_best;
  const bool single = r.goals.size() == 1;
  const std::string unit = single ? study.responses[std::size_t(r.goals[0].response)].unit : "";
  std::string out = "\nAs good as the best";
  if (std::isfinite(n.allowed))
    out += fmt::format(", to {:.3g}{} of {}", n.allowed, unit.empty() ? "" : " " + unit,
                       single ? study.responses[std::size_t(r.goals[0].response)].name : "desirability");
  else
    out += fmt::format(" (not significantly worse at {:.0f} %)", 100 * r.level);
  out += n.share <= 0     ? std::string(": too little of the region to be counted")
         : n.share < 1e-4 ? fmt::format(": {:.1e} of the region", n.share)
                          : fmt::format(": {:.2g} % of the region", 100 * n.share);
  out += n.pieces.size() > 1 ? fmt::format(", in {} pieces\n", n.pieces.size()) : ", in one piece\n";
  Rows lines;
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    const Parameter& p = study.space[j];
    const Reach& reach = n.alone[std::size_t(j)];
    lines.push_back(
        {text("", "parameter", with_unit(p.name, p.unit)),
         text("", "best", range_text(p, n.best[j], n.best[j], {n.best[j]})),
         text("", "alone", range_text(p, reach.low, reach.high, reach.values)),
         text("", "all together", range_text(p, n.box.low[j], n.box.high[j], n.box.values[std::size_t(j)]))});
    for (std::size_t k = 1; k < std::min<std::size_t>(n.pieces.size(), 4); ++k)
      lines.back().push_back(text("", fmt::format("piece {}", k + 1),
                                  range_text(p, n.pieces[k].span.low[j], n.pieces[k].span.high[j],
                                             n.pieces[k].span.values[std::size_t(j)])));
  }
  return out + table_of(lines);
}

std::string conflicts_text(const SeekOutcome& r) {
  std::string out;
  for (const Conflict& c : r.conflicts) {
    std::vector<std::string> limits, ways;
    for (const Conflict::Give& g : c.limits) {
      limits.push_back("\"" + g.limit + "\"");
      if (std::isfinite(g.by))
        ways.push_back(fmt::format("{} would have to give by {:.3g}", limits.back(), g.by));
    }
    out += limits.size() == 1
               ? fmt::format("  {} cannot be held at all: {}\n", limits[0], fmt::join(ways, ""))
               : fmt::format("  {} cannot hold together: {}\n", fmt::join(limits, " and "),
                             fmt::join(ways, ", or "));
  }
  return out;
}

std::string front_text(const Study& study, const SeekOutcome& r) {
  if (r.front.empty()) return "";
  constexpr std::size_t shown = 12;
  const Rows all = front_rows(study, r);
  Rows lines;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const bool even = all.size() <= shown || (i * (shown - 1)) % (all.size() - 1) < shown - 1;
    if (even || r.front[i].knee) {
      lines.push_back({text("", "", r.front[i].knee ? "knee" : "")});
      lines.back().insert(lines.back().end(), all[i].begin() + 1, all[i].end());
    }
  }
  return fmt::format("\nTrade-off: {} settings of which none is better in every goal{}\n", all.size(),
                     lines.size() < all.size() ? " (--json gives all, draw front shows them)" : "") +
         table_of(lines);
}

std::string history_text(const Study& study, const SeekOutcome& r) {
  if (r.verdict.empty()) return "";
  Rows lines;
  for (const SeekRound& round : r.history) {
    lines.push_back(
        {whole("", "round", round.round), whole("", "run", round.run), setting("", study, round.point)});
    for (const auto& [response, value] : round.predicted) {
      const auto computed = round.computed.find(response);
      const double y = computed == round.computed.end() ? NAN : computed->second;
      lines.back().push_back(number("", response + " predicted", value));
      lines.back().push_back(number("", "computed", y));
    }
  }
  return "Followed up: " + r.verdict + ".\n" + (lines.empty() ? "" : "\n" + table_of(lines)) + "\n";
}

std::string outcome_text(const Study& study, const SeekOutcome& r) {
  if (r.result.proposals.empty()) return history_text(study, r);
  std::string out = r.result.feasible
                        ? fmt::format("Found {} that hold{} every limit by the surrogates' means.\n",
                                      count_of(int(r.result.proposals.size()), "setting"),
                                      r.result.proposals.size() == 1 ? "s" : "")
                        : std::string("NOTHING HOLDS EVERY LIMIT. These settings come nearest.\n");
  if (!r.scenario.empty()) out = "Scenario " + r.scenario + ". " + out;
  out = history_text(study, r) + out + conflicts_text(r);
  if (!r.then.empty()) out += "Then: " + r.then + ".\n";
  Rows points;
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i)
    points.push_back(figures_of_proposal(study, r, i));
  out += "\n" + table_of(points);
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    const Proposal& p = r.result.proposals[i];
    out += fmt::format("\nproposal {}{}\n", i + 1,
                       r.predicted.inside[i] ? "" : "   (OUTSIDE what the runs cover)");
    out += proposal_table(study, r, i);
    if (!p.limited_by.empty()) out += fmt::format("  limited by {}\n", fmt::join(p.limited_by, "; "));
    if (i == 0) out += gives_text(study, p.gives);
    if (const auto free = names_of(study, p.free); !free.empty())
      out += fmt::format("  {} {} no difference here and {} at nominal\n", fmt::join(free, ", "),
                         free.size() == 1 ? "makes" : "make", free.size() == 1 ? "stays" : "stay");
  }
  if (const Rows alone = single_rows(study, r); !alone.empty())
    out += "\nWhat each goal alone would reach, and what the others become there\n" + table_of(alone);
  return out + near_best_text(study, r) + front_text(study, r);
}

/// The best of each scenario, a line each.
std::string side_by_side(const Study& study, const SeekAnswer& answer) {
  Rows lines;
  for (const SeekOutcome& one : answer.of) {
    if (one.result.proposals.empty()) continue;
    lines.push_back({text("", "scenario", one.scenario), yes_no("", "feasible", one.result.feasible),
                     number("", "desirability", one.result.proposals[0].desirability, 3),
                     setting("", study, one.result.proposals[0].point),
                     group("", predicted_row(study, one.predicted, 0))});
  }
  return "\nThe best of each scenario\n" + table_of(lines);
}

}  // namespace

std::string to_table(const Study& study, const SeekAnswer& answer) {
  std::string out;
  for (const SeekOutcome& one : answer.of) out += (out.empty() ? "" : "\n") + outcome_text(study, one);
  if (answer.of.size() > 1) out += side_by_side(study, answer);
  return out + "\n" + notes_of(answer.notes) + next_step("renth confirm");
}

}  // namespace renth
