#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/rank.hpp>

namespace renth {
namespace {

bool of_variance(const Ranking& ranking) {
  return ranking.method == "sobol" || ranking.method == "shapley";
}

/// Is this a figure in the unit of the response?
bool in_unit(const std::string& method, const std::string& key) {
  return key == "effect" || key == "mean" || key == "absolute" || key == "spread" || key == "at_low" ||
         key == "at_high" || key == "swing" || key == "smallest" || key == "largest" ||
         (key == "slope" && method == "derivatives");
}

/// In JSON its value, and `KEY_interval` where it has bounds; in print one column each.
void add_measure(const Ranking& ranking, const Measure& m, const std::string& unit, double level,
                 Figures& out) {
  constexpr int digits = 3;
  if (!m.word.empty()) {
    out.push_back(text(m.key, m.title, m.word));
    return;
  }
  const bool is_p = m.key == "p" || m.key == "p_alone";
  if (is_p)
    out.push_back(p_value(m.key, m.title, m.value));
  else if (m.key == "steps" || m.key == "waves")
    out.push_back(whole(m.key, m.title, std::int64_t(m.value)));
  else
    out.push_back(number(m.key, m.title, m.value, digits, in_unit(ranking.method, m.key) ? unit : ""));
  if (std::isnan(m.low)) return;
  out.push_back(bounds(m.key + "_interval", "interval", m.low, m.high, level));
  out.back().digits = digits;
}

Figures of_parameter(const Study& study, const Ranking& ranking, const RankedParameter& p,
                     const std::string& unit, double level) {
  const std::string& name = study.space[p.parameter].name;
  if (of_variance(ranking)) {
    const bool shapley = ranking.method == "shapley";
    Figures out = {text("parameter", "parameter", name),
                   per_cent("share", "share", p.share),
                   per_cent("low", "low", p.low),
                   per_cent("high", "high", p.high),
                   number("first", "", p.first),
                   shapley ? number("total", "", p.total) : per_cent("total", "total", p.total)};
    if (!shapley) out.push_back(raw("total_interval", json_interval(p.total_low, p.total_high)));
    out.push_back(text("direction", "direction", p.direction));
    return out;
  }
  Figures out = {text("parameter", "parameter", name)};
  for (const Measure& m : p.measures) add_measure(ranking, m, unit, level, out);
  out.push_back(per_cent("share", "share", p.share));
  out.push_back(per_cent("low", "low", p.low));
  out.push_back(per_cent("high", "high", p.high));
  if (ranking.method == "first-order") out.push_back(number("first", "", p.first));
  if (!p.direction.empty()) out.push_back(text("direction", "direction", p.direction));
  return out;
}

Rows parameters_of(const Study& study, const Ranking& ranking, const std::string& unit, double level) {
  Rows out;
  for (const RankedParameter& p : ranking.parameters)
    out.push_back(of_parameter(study, ranking, p, unit, level));
  return out;
}

std::string with_unit_of(const std::string& value, const std::string& unit) {
  return value + (unit.empty() ? "" : " " + unit);
}

std::string pair_name(const Study& study, const RankedPair& p) {
  const std::string& a = study.space[p.a].name;
  return p.a == p.b ? a + "²" : a + " × " + study.space[p.b].name;
}

Rows pairs_of(const Study& study, const Ranking& ranking, const std::string& unit, double level) {
  Rows out;
  for (const RankedPair& p : ranking.interactions) {
    out.push_back({raw("pair", {study.space[p.a].name, study.space[p.b].name}), number("share", "", p.share),
                   number("low", "", p.low), number("high", "", p.high)});
    for (const Measure& m : p.measures) add_measure(ranking, m, unit, level, out.back());
  }
  return out;
}

/// Terms of two parameters under those of one, as far as they are significant, and the largest five.
Rows with_terms(const Study& study, const Ranking& ranking, const std::string& unit, Rows rows,
                double level) {
  constexpr int always = 5;
  int shown = 0;
  for (const RankedPair& p : ranking.interactions) {
    if (++shown > always && !(p.measures.back().value < 1 - level)) continue;
    Figures row = {text("parameter", "parameter", pair_name(study, p))};
    for (const Measure& m : p.measures) add_measure(ranking, m, unit, level, row);
    row.push_back(per_cent("share", "share", p.share));
    row.push_back(per_cent("low", "low", p.low));
    row.push_back(per_cent("high", "high", p.high));
    row.push_back(text("direction", "direction", ""));
    rows.push_back(std::move(row));
  }
  return rows;
}

std::string pairs_line(const Study& study, const Ranking& k) {
  std::string pairs;
  for (const RankedPair& p : k.interactions)
    if (p.share >= 0.005)
      pairs +=
          fmt::format("{}{} {} %", pairs.empty() ? "" : ", ", pair_name(study, p), fixed(100 * p.share, 1));
  return fmt::format("  Interactions: {}; of three and more {} %.\n",
                     pairs.empty() ? "none above half a per cent" : pairs, fixed(100 * k.unexplained, 1));
}

/// Parameters by responses: those that matter most to the same response stand together.
std::string matrix_of(const Study& study, const RankResult& r) {
  Rows lines;
  for (const Eigen::Index j : parameters_by_structure(r, study.space.size())) {
    Figures line = {text("parameter", "share [%]", study.space[j].name)};
    for (const auto& one : r.responses)
      for (const RankedParameter& p : one.ranking.parameters)
        if (p.parameter == j) {
          const char* arrow = p.direction == "up"      ? " ↑"
                              : p.direction == "down"  ? " ↓"
                              : p.direction == "mixed" ? " ↕"
                                                       : "";
          line.push_back(
              text(one.response, one.response,
                   std::isnan(p.share) ? "—" : fixed(100 * p.share, p.share < 0.0995 ? 1 : 0) + arrow));
        }
    lines.push_back(std::move(line));
  }
  return table_of(lines);
}

/// Shares at each point of a curve's axis.
Json along_of(const Study& study, const RankResult::OfResponse& one) {
  const Axis& axis = *study.axis_of(response_of(study, one.response));
  Json out = Json::array();
  for (std::size_t k = 0; k < axis.points.size(); ++k) {
    Json parameters = Json::array();
    for (const RankedParameter& p : one.ranking.parameters)
      parameters.push_back({{"parameter", study.space[p.parameter].name},
                            {"share", json_number(p.along[k].share)},
                            {"low", json_number(p.along[k].low)},
                            {"high", json_number(p.along[k].high)}});
    out.push_back({{"at", axis.points[k]}, {"parameters", std::move(parameters)}});
  }
  return out;
}

Json document_of(const Screening& s) {
  Rows responses;
  for (const auto& one : s.responses)
    responses.push_back(
        {text("response", "", one.response), number("q2", "", one.q2), number("q2_kept", "", one.q2_kept)});
  return {{"threshold", s.threshold},
          {"keep", s.keep},
          {"undecided", s.undecided},
          {"fix", s.fix},
          {"responses", json_of(responses)}};
}

std::string table_of_screening(const Screening& s) {
  const auto line = [](const char* what, const std::vector<std::string>& names) {
    return fmt::format("  {}: {}.\n", what, names.empty() ? "none" : listed(names));
  };
  std::string out = fmt::format("What may be fixed at {} % of the variance, for every response:\n",
                                pretty(100 * s.threshold)) +
                    line("certainly", s.fix) + line("perhaps, the intervals reach beyond it", s.undecided) +
                    line("not", s.keep);
  if (s.fix.empty()) return out + "\n";
  Rows rows;
  for (const auto& one : s.responses)
    rows.push_back({text("response", "response", one.response), number("q2", "Q²", one.q2),
                    number("q2_kept", "Q² fitted without", one.q2_kept)});
  return out + "\n" + table_of(rows) + "\n";
}

}  // namespace

Json to_document(const Study& study, const RankResult& r) {
  Rows responses;
  for (const auto& one : r.responses) {
    const std::string& unit = response_of(study, one.response).unit;
    responses.push_back(
        {text("response", "", one.response), text("method", "", one.ranking.method),
         text("basis", "", one.basis), list("parameters", parameters_of(study, one.ranking, unit, r.level)),
         list("interactions", pairs_of(study, one.ranking, unit, r.level)),
         number("unexplained", "", one.ranking.unexplained), number("uncaptured", "", one.uncaptured)});
    if (!one.ranking.parameters.front().along.empty())
      responses.back().push_back(raw("along", along_of(study, one)));
    if (one.scatter)
      responses.back().push_back(group(
          "under_scatter", {setting("at", study, r.at), number("sd", "", std::sqrt(one.scatter->variance)),
                            list("parameters", parameters_of(study, *one.scatter, unit, r.level)),
                            number("unexplained", "", one.scatter->unexplained)}));
    if (one.basis == "runs") responses.back().push_back(whole("runs", "", one.runs));
    if (std::isfinite(one.ranking.line)) responses.back().push_back(number("line", "", one.ranking.line));
    if (one.verdict) responses.back().push_back(text("verdict", "", std::string(name(*one.verdict))));
    if (one.ranking.method == "local") responses.back().push_back(setting("at", study, r.at));
  }
  Json out = {{"responses", json_of(responses)}, {"level", r.level}, {"notes", notes_document(r.notes)}};
  if (r.screen) out["screen"] = document_of(*r.screen);
  return out;
}

std::string to_table(const Study& study, const RankResult& r) {
  constexpr std::size_t most_in_full = 6;
  std::string out;
  for (const auto& one : r.responses) {
    out += sentences_of(study, r, one);
    if (r.responses.size() > most_in_full) continue;
    const std::string& unit = response_of(study, one.response).unit;
    Rows rows = parameters_of(study, one.ranking, unit, r.level);
    const bool terms = one.ranking.method == "effects";
    out += "\n" + table_of(terms ? with_terms(study, one.ranking, unit, std::move(rows), r.level) : rows);
    if (one.ranking.method == "sobol") out += pairs_line(study, one.ranking);
    out += "\n";
    if (one.scatter)
      out +=
          fmt::format(
              "  In production at {} it spreads by {} (one standard deviation), which comes from:\n\n",
              describe(study.space, r.at), with_unit_of(pretty(std::sqrt(one.scatter->variance), 3), unit)) +
          table_of(parameters_of(study, *one.scatter, unit, r.level)) + "\n";
  }
  if (r.responses.size() > 1) out += left_alone_sentence(study, r) + "\n" + matrix_of(study, r) + "\n";
  if (r.responses.size() > most_in_full)
    out += "One response in full: renth rank --response " + r.responses.front().response + "\n";
  if (r.screen) out += table_of_screening(*r.screen);
  return out + notes_of(r.notes);
}

}  // namespace renth
