#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/rank.hpp>

namespace renth {

Json to_document(const Study& study, const RankResult& r) {
  Json responses = Json::array();
  for (const auto& one : r.responses) {
    Json parameters = Json::array(), pairs = Json::array();
    for (const RankedParameter& p : one.ranking.parameters)
      parameters.push_back({{"parameter", study.space[p.parameter].name},
                            {"share", json_number(p.share)},
                            {"low", json_number(p.low)},
                            {"high", json_number(p.high)},
                            {"first", json_number(p.first)},
                            {"total", json_number(p.total)},
                            {"direction", p.direction}});
    for (const RankedPair& p : one.ranking.interactions)
      pairs.push_back({{"pair", {study.space[p.a].name, study.space[p.b].name}},
                       {"share", json_number(p.share)},
                       {"low", json_number(p.low)},
                       {"high", json_number(p.high)}});
    responses.push_back({{"response", one.response},
                         {"method", one.ranking.method},
                         {"basis", one.basis},
                         {"parameters", parameters},
                         {"interactions", pairs},
                         {"unexplained", json_number(one.ranking.unexplained)}});
  }
  return {{"responses", responses}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const RankResult& r) {
  std::string out;
  for (const auto& one : r.responses) {
    const Ranking& k = one.ranking;
    const Response& response = response_of(study, one.response);
    const bool shapley = k.method == "shapley";
    const RankedParameter& top = k.parameters.front();
    out += fmt::format("{}: {} matters most ({:.0f} %, 95 % interval {:.0f} … {:.0f} %).\n", response.title(),
                       study.space[top.parameter].title(), 100 * top.share, 100 * top.low, 100 * top.high);
    std::string idle;
    for (const RankedParameter& p : k.parameters)
      if ((shapley ? p.high : std::max(p.total, p.high)) < 0.01)
        idle += (idle.empty() ? "" : ", ") + study.space[p.parameter].name;
    if (!idle.empty()) out += "  Hardly any effect: " + idle + ".\n";
    TextTable table(shapley ? std::vector<std::string>{"parameter", "share [%]", "low", "high", "direction"}
                            : std::vector<std::string>{"parameter", "share [%]", "low", "high", "total [%]",
                                                       "direction"});
    for (const RankedParameter& p : k.parameters) {
      table.text(study.space[p.parameter].name)
          .number(100 * p.share, 3)
          .number(100 * p.low, 3)
          .number(100 * p.high, 3);
      if (!shapley) table.number(100 * p.total, 3);
      table.text(p.direction).end_row();
    }
    out += "\n" + table.str();
    std::string pairs;
    for (const RankedPair& p : k.interactions)
      if (p.share >= 0.005)
        pairs += fmt::format("{}{} × {} {:.1f} %", pairs.empty() ? "" : ", ", study.space[p.a].name,
                             study.space[p.b].name, 100 * p.share);
    if (!shapley)
      out += fmt::format("  Interactions: {}; of three and more {:.1f} %.\n",
                         pairs.empty() ? "none above half a per cent" : pairs, 100 * k.unexplained);
    out += "\n";
  }
  return out + notes_of(r.notes);
}

}  // namespace renth
