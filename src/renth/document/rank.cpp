#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/rank.hpp>

namespace renth {

namespace {

Figures of_parameter(const Study& study, const RankedParameter& p, bool shapley) {
  return {text("parameter", "parameter", study.space[p.parameter].name),
          per_cent("share", "share", p.share),
          per_cent("low", "low", p.low),
          per_cent("high", "high", p.high),
          number("first", "", p.first),
          shapley ? number("total", "", p.total) : per_cent("total", "total", p.total),
          text("direction", "direction", p.direction)};
}

Rows parameters_of(const Study& study, const Ranking& ranking) {
  Rows out;
  for (const RankedParameter& p : ranking.parameters)
    out.push_back(of_parameter(study, p, ranking.method == "shapley"));
  return out;
}

Rows pairs_of(const Study& study, const Ranking& ranking) {
  Rows out;
  for (const RankedPair& p : ranking.interactions)
    out.push_back({raw("pair", {study.space[p.a].name, study.space[p.b].name}), number("share", "", p.share),
                   number("low", "", p.low), number("high", "", p.high)});
  return out;
}

}  // namespace

Json to_document(const Study& study, const RankResult& r) {
  Rows responses;
  for (const auto& one : r.responses)
    responses.push_back({text("response", "", one.response), text("method", "", one.ranking.method),
                         text("basis", "", one.basis), list("parameters", parameters_of(study, one.ranking)),
                         list("interactions", pairs_of(study, one.ranking)),
                         number("unexplained", "", one.ranking.unexplained),
                         number("uncaptured", "", one.uncaptured)});
  return {{"responses", json_of(responses)}, {"level", r.level}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const RankResult& r) {
  std::string out;
  for (const auto& one : r.responses) {
    const Ranking& k = one.ranking;
    const Response& response = response_of(study, one.response);
    const bool shapley = k.method == "shapley";
    const RankedParameter& top = k.parameters.front();
    const auto per_cent = [](double share, int decimals = 0) { return fixed(100 * share, decimals); };
    if (one.verdict == Verdict::unfit)
      out += fmt::format(
          "{}: nothing stands out: its surrogate is unfit, and the shares below may be those of noise.\n",
          response.title());
    else
      out += fmt::format("{}: {} matters most ({} %, {} interval {} … {} %).\n", response.title(),
                         study.space[top.parameter].title(), per_cent(top.share), level_text(r.level),
                         per_cent(top.low), per_cent(top.high));
    std::string idle;
    for (const RankedParameter& p : k.parameters)
      if ((shapley ? p.high : std::max(p.total, p.high)) < 0.01)
        idle += (idle.empty() ? "" : ", ") + study.space[p.parameter].name;
    if (!idle.empty() && one.verdict != Verdict::unfit) out += "  Hardly any effect: " + idle + ".\n";
    if (one.uncaptured > 0.005)
      out += fmt::format("  The surrogate misses {} % of the variance.\n", per_cent(one.uncaptured));
    out += "\n" + table_of(parameters_of(study, k));
    std::string pairs;
    for (const RankedPair& p : k.interactions)
      if (p.share >= 0.005)
        pairs += fmt::format("{}{} × {} {} %", pairs.empty() ? "" : ", ", study.space[p.a].name,
                             study.space[p.b].name, per_cent(p.share, 1));
    if (!shapley)
      out += fmt::format("  Interactions: {}; of three and more {} %.\n",
                         pairs.empty() ? "none above half a per cent" : pairs, per_cent(k.unexplained, 1));
    out += "\n";
  }
  return out + notes_of(r.notes);
}

}  // namespace renth
