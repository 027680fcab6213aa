#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/seek.hpp>
#include <renth/document/seek_parts.hpp>

namespace renth {

namespace {

Figures responses_of(const Study& study, const SeekOutcome& r, std::size_t i) {
  Figures out;
  for (const ResponsePrediction& one : r.predicted.responses) {
    Rows rows;
    for (Eigen::Index q = 0; q < one.mean.cols(); ++q)
      rows.push_back(figures_of_response(study, r, i, one, q));
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
    proposals.push_back(figures_of_proposal(study, r, i));
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
    goals.push_back({{"response", study.responses[std::size_t(g.response)].name},
                     {"aim", aim_words(g.aim)},
                     {"weight", g.weight}});
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
  if (!first.yield.empty() && !std::isfinite(first.yield.front()))
    notes.push_back(
        {"no_yield", "yield is null: it takes scatter of parameters and accept limits of responses"});
  if (first.front.empty()) notes.push_back({"front", "front is null: seek --front computes it"});
  if (!first.near_best)
    notes.push_back(
        {"near_best",
         first.result.feasible
             ? "near_best is null: there is no goal that reaches anything, or the search was robust"
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

}  // namespace renth
