#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/seek.hpp>

namespace renth {

namespace {

/// The desirability of a response in a proposal; NaN without a goal.
double desirability_of(const SeekOutcome& r, std::size_t proposal, int response) {
  for (std::size_t g = 0; g < r.goals.size(); ++g)
    if (r.goals[g].response == response) return r.result.proposals[proposal].of_goal[g];
  return NAN;
}

/// The chance that a run of the response lies within its limits.
Figure chance_of(const SeekOutcome& r, std::size_t proposal, const std::string& response) {
  const auto found = r.probability[proposal].find(response);
  if (found == r.probability[proposal].end()) return Figure{"probability", "chance", Json(nullptr)}.as("");
  return number("probability", "chance", found->second, 2);
}

/// What a response becomes in one proposal; of a curve at one axis point.
Figures of_response(const Study& study, const SeekOutcome& r, std::size_t i, const ResponsePrediction& one,
                    Eigen::Index q) {
  const Response& response = study.responses[std::size_t(one.response)];
  const auto row = Eigen::Index(i);
  const double sd = one.sd(row, q);
  return {
      number("mean", "mean", one.mean(row, q)).known_to(sd),
      number("sd", "", sd),
      bounds("prediction", "of a run", one.prediction_low(row, q), one.prediction_high(row, q), r.level)
          .known_to(sd),
      number("desirability", "desirability", desirability_of(r, i, one.response), 3),
      yes_no("within", "within limits", r.within[i].at(response.name), response.accept.any() ? "yes" : ""),
      chance_of(r, i, response.name)};
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

Rows gives_of_proposal(const Study& study, const Proposal& p) {
  Rows out;
  for (const Give& g : p.gives)
    out.push_back({text("limit", "", g.limit), number("per_unit", "", g.per_unit),
                   text("response", "", study.responses[std::size_t(g.response)].name)});
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
      list("gives", gives_of_proposal(study, p)),
      raw("free", names_of(study, p.free)),
      number("failure_risk", std::isfinite(r.failure_risk[i]) ? "risk of failing" : "", r.failure_risk[i], 2),
      yes_no("inside", "", r.predicted.inside[i] != 0)};
}

/// What one parameter may be: the ends of a number, the values of a choice.
Json range_of(const Parameter& p, double low, double high, const std::vector<double>& values) {
  if (!p.is_choice()) return std::isfinite(low) ? Json{low, high} : Json(nullptr);
  Json out = Json::array();
  for (const double v : values) out.push_back(p.choices[std::size_t(v)]);
  return out;
}

Json box_document(const Study& study, const SettingsBox& box) {
  Json out = Json::object();
  for (Eigen::Index j = 0; j < study.space.size(); ++j)
    out[study.space[j].name] = range_of(study.space[j], box.low[j], box.high[j], box.values[std::size_t(j)]);
  return out;
}

Json near_best_document(const Study& study, const SeekOutcome& r) {
  if (!r.near_best) return nullptr;
  const NearBest& n = *r.near_best;
  Json alone = Json::object(), regions = Json::array();
  for (Eigen::Index j = 0; j < study.space.size(); ++j) {
    const Reach& reach = n.alone[std::size_t(j)];
    alone[study.space[j].name] = range_of(study.space[j], reach.low, reach.high, reach.values);
  }
  for (const NearBest::Piece& piece : n.pieces)
    regions.push_back({{"span", box_document(study, piece.span)},
                       {"share", piece.share},
                       {"point", json_of(Figures{setting("point", study, piece.point)})["point"]}});
  return {{"loss", std::isfinite(n.allowed) ? Json(n.allowed) : Json(nullptr)},
          {"best", json_of(Figures{setting("point", study, n.best)})["point"]},
          {"share", n.share},
          {"alone", alone},
          {"box", box_document(study, n.box)},
          {"volume", n.box_volume},
          {"regions", regions}};
}

/// Means and deviations of the scalar responses in one row.
Figures predicted_row(const Study& study, const Predictions& predicted, Eigen::Index row) {
  Figures out;
  for (const ResponsePrediction& one : predicted.responses) {
    const Response& response = study.responses[std::size_t(one.response)];
    if (response.is_curve()) continue;
    const double sd = one.sd(row, 0);
    out.push_back(
        group(response.name,
              {number("mean", with_unit(response.name, response.unit), one.mean(row, 0)).known_to(sd),
               number("sd", "", sd)}));
  }
  return out;
}

Rows front_rows(const Study& study, const SeekOutcome& r) {
  Rows out;
  for (std::size_t i = 0; i < r.front.size(); ++i)
    out.push_back({yes_no("knee", "", r.front[i].knee, "knee", ""), setting("point", study, r.front[i].point),
                   group("responses", predicted_row(study, r.front_predicted, Eigen::Index(i)))});
  return out;
}

Rows single_rows(const Study& study, const SeekOutcome& r) {
  Rows out;
  for (std::size_t i = 0; i < r.result.singly.size(); ++i) {
    const int k = r.goals[std::size_t(r.result.singly[i].goal)].response;
    out.push_back({text("response", "best alone", study.responses[std::size_t(k)].name),
                   setting("point", study, r.result.singly[i].point),
                   group("responses", predicted_row(study, r.singly, Eigen::Index(i)))});
  }
  return out;
}

Rows conflict_rows(const SeekOutcome& r) {
  Rows out;
  for (const Conflict& c : r.conflicts) {
    Json limits = Json::array();
    Rows give;
    for (const Conflict::Give& g : c.limits) {
      limits.push_back(g.limit);
      give.push_back({text("limit", "", g.limit), number("by", "", g.by)});
    }
    out.push_back({raw("limits", limits), list("give", give)});
  }
  return out;
}

Json outcome_document(const Study& study, const SeekOutcome& r) {
  Rows proposals;
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) {
    proposals.push_back(figures(study, r, i));
    proposals.back().push_back(group("responses", responses_of(study, r, i)));
  }
  Json out = {{"feasible", r.result.feasible}, {"proposals", json_of(proposals)}};
  out["front"] = r.front.empty() ? Json(nullptr) : json_of(front_rows(study, r));
  out["near_best"] = near_best_document(study, r);
  out["conflicts"] = json_of(conflict_rows(r));
  out["singly"] = json_of(single_rows(study, r));
  Json history = Json::array();
  for (const SeekRound& round : r.history) {
    Json predicted = Json::object(), computed = Json::object();
    for (const auto& [response, value] : round.predicted) predicted[response] = value;
    for (const auto& [response, value] : round.computed)
      computed[response] = std::isfinite(value) ? Json(value) : Json(nullptr);
    history.push_back({{"round", round.round},
                       {"run", round.run},
                       {"predicted", predicted},
                       {"computed", round.computed.empty() ? Json(nullptr) : computed}});
  }
  out["history"] = r.history.empty() ? Json(nullptr) : history;
  out["verdict"] = r.verdict.empty() ? Json(nullptr) : Json(r.verdict);
  Json goals = Json::array();
  for (const Goal& g : r.goals) {
    const char* aim = g.aim == Goal::Aim::maximise   ? "maximise"
                      : g.aim == Goal::Aim::minimise ? "minimise"
                                                     : "target";
    goals.push_back(
        {{"response", study.responses[std::size_t(g.response)].name}, {"aim", aim}, {"weight", g.weight}});
    if (g.aim == Goal::Aim::target) goals.back()["target"] = g.target;
  }
  out["goals"] = std::move(goals);
  return out;
}

}  // namespace

Json to_document(const Study& study, const SeekAnswer& answer) {
  Json out = outcome_document(study, answer.of.front());
  if (!answer.of.front().scenario.empty()) {
    Json scenarios = Json::array();
    for (const SeekOutcome& one : answer.of) {
      Json with_name = {{"scenario", one.scenario}};
      with_name.update(outcome_document(study, one));
      scenarios.push_back(std::move(with_name));
    }
    out["scenarios"] = std::move(scenarios);
  }
  Notes notes = answer.notes;
  const SeekOutcome& first = answer.of.front();
  if (!first.failure_risk.empty() && !std::isfinite(first.failure_risk.front()))
    notes.push_back(
        {"no_failure", "failure_risk is null: no run has failed, so there is nothing to learn it from"});
  if (first.front.empty()) notes.push_back({"front", "front is null: seek --front computes it"});
  if (!first.near_best)
    notes.push_back({"near_best", first.result.feasible
                                      ? "near_best is null: there is no goal that reaches anything"
                                      : "near_best is null: nothing holds every limit"});
  else if (!first.loss)
    notes.push_back(
        {"not_significant",
         "near_best.loss is null: what is as good is not significantly worse, which depends on the setting"});
  if (first.history.empty())
    notes.push_back({"history", "history and verdict are null: seek --refine asks the solver"});
  out["level"] = first.level;
  out["notes"] = notes_document(notes);
  return out;
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
  for (std::size_t i = 0; i < r.result.proposals.size(); ++i) points.push_back(figures(study, r, i));
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
