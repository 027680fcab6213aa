#include <fmt/format.h>

#include <cmath>
#include <renth/document/kept_figures.hpp>
#include <renth/document/kept_production.hpp>
#include <renth/document/kept_tables.hpp>

namespace renth {
namespace {

void add(std::vector<NamedTable>& all, std::string caption, const Rows& rows) {
  if (!rows.empty()) all.push_back({std::move(caption), cells_of(rows)});
}

std::vector<NamedTable> of_runs(const Study& study, const Kept& d) {
  Rows rows;
  for (const Kept& run : part_of(d, "runs")) {
    Figures row = {text("", "run", fmt::format("{}", number_in(run, "id"))),
                   text("", "batch", text_in(run, "batch")), text("", "use", text_in(run, "use")),
                   text("", "status",
                        run.contains("set_aside") && !run["set_aside"].is_null() ? "set aside"
                                                                                 : text_in(run, "status"))};
    for (Figure& f : point_columns(study, part_of(run, "point"))) row.push_back(std::move(f));
    const Kept& responses = part_of(run, "responses");
    for (const Response& r : study.responses)
      if (!r.derive && !r.is_curve()) {
        row.push_back(number("", r.name, number_in(responses, r.name.c_str()), 5));
        row.back().unit = r.unit;
      }
    rows.push_back(std::move(row));
  }
  std::vector<NamedTable> out;
  add(out, "runs", rows);
  return out;
}

std::vector<NamedTable> of_models(const Study& study, const Kept& d) {
  Rows quality;
  std::vector<NamedTable> out;
  for (const Kept& m : part_of(d, "models")) {
    const std::string name = text_in(m, "response");
    const Kept &q = part_of(m, "quality"), &check = part_of(q, "check");
    quality.push_back({text("", "response", title_of_response(study, name)),
                       text("", "kind", text_in(m, "kind")),
                       text("", "runs", fmt::format("{}", number_in(m, "runs"))),
                       text("", "verdict", text_in(m, "verdict")), number("", "R²", number_in(q, "r2")),
                       number("", "Q²", number_in(q, "q2")),
                       text("", "error of a run left out", pretty(number_in(q, "rmse_cv"), 3)),
                       number("", "R² of check runs", number_in(check, "r2"))});
  }
  add(out, "quality of the surrogates", quality);
  const double level = level_in(d);
  for (const Kept& m : part_of(d, "models")) {
    const std::string title = title_of_response(study, text_in(m, "response"));
    Rows terms, anova;
    for (const Kept& t : part_of(m, "terms"))
      terms.push_back({text("", "term", text_in(t, "term")),
                       number("", "coefficient", number_in(t, "coefficient"), 5),
                       number("", "std. error", number_in(t, "std_error")),
                       number("", "t", number_in(t, "t")), p_value("", "p", number_in(t, "p")),
                       bounds("", "interval", number_in(t, "low"), number_in(t, "high"), level),
                       number("", "VIF", number_in(t, "vif"), 3)});
    for (const Kept& a : part_of(m, "anova"))
      anova.push_back({text("", "source", text_in(a, "source")),
                       text("", "df", fmt::format("{}", number_in(a, "df"))),
                       number("", "sum of squares", number_in(a, "ss"), 5),
                       number("", "mean square", number_in(a, "ms"), 5), number("", "F", number_in(a, "f")),
                       p_value("", "p", number_in(a, "p"))});
    add(out, title + ": terms in coded units", terms);
    add(out, title + ": analysis of variance", anova);
  }
  return out;
}

std::vector<NamedTable> of_ranking(const Study& study, const Kept& d) {
  std::vector<NamedTable> out;
  const double level = level_in(d);
  for (const Kept& r : part_of(d, "responses")) {
    Rows rows, pairs;
    for (const Kept& p : part_of(r, "parameters"))
      rows.push_back({text("", "parameter", title_of_parameter(study, text_in(p, "parameter"))),
                      text("", "share", share_text(number_in(p, "share"))),
                      text("", fmt::format("{:.0f} %", 100 * level),
                           share_range(number_in(p, "low"), number_in(p, "high"))),
                      text("", "direction", text_in(p, "direction"))});
    for (const Kept& p : part_of(r, "interactions"))
      pairs.push_back(
          {text("", "pair",
                part_of(p, "pair").size() == 2 ? part_of(p, "pair")[0].get<std::string>() + " × " +
                                                     part_of(p, "pair")[1].get<std::string>()
                                               : text_in(p, "pair")),
           text("", "share", share_text(number_in(p, "share"))),
           text("", fmt::format("{:.0f} %", 100 * level),
                share_range(number_in(p, "low"), number_in(p, "high")))});
    const std::string title = title_of_response(study, text_in(r, "response"));
    add(out, title + ": what matters (" + text_in(r, "method") + ")", rows);
    add(out, title + ": pairs that act together", pairs);
  }
  return out;
}

/// What is predicted of one setting, a column a response.
void add_predictions(Figures& row, const Study& study, const Kept& responses, double level) {
  for (const Response& r : study.responses) {
    const auto found = responses.find(r.name);
    if (found == responses.end() || !found->contains("mean") || !(*found)["mean"].is_number()) continue;
    row.push_back(number("", r.title(), number_in(*found, "mean")).known_to(number_in(*found, "sd")));
    row.back().unit = r.unit;
    const Bounds b = bounds_in(*found, "prediction");
    row.push_back(bounds("", "of a run", b.low, b.high, level));
  }
}

void add_seeking(std::vector<NamedTable>& out, const Study& study, const Kept& d, const std::string& of,
                 double level) {
  Rows proposals, settings, front, region, conflicts, limited;
  for (const Kept& p : part_of(d, "proposals")) {
    const std::string rank = fmt::format("{}", number_in(p, "rank"));
    Figures row = {text("", "proposal", rank), number("", "desirability", number_in(p, "desirability"), 3)},
            setting = {text("", "proposal", rank)};
    add_predictions(row, study, part_of(p, "responses"), level);
    proposals.push_back(std::move(row));
    for (Figure& f : point_columns(study, part_of(p, "point"))) setting.push_back(std::move(f));
    settings.push_back(std::move(setting));
    for (const Kept& g : part_of(p, "gives"))
      if (rank == "1")
        limited.push_back({text("", "limit", text_in(g, "limit")),
                           text("", "response", title_of_response(study, text_in(g, "response"))),
                           number("", "gained for a unit", number_in(g, "per_unit"), 3)});
  }
  for (const Kept& f : part_of(d, "front")) {
    Figures row = {
        text("", "setting", std::to_string(front.size() + 1) + (f.value("knee", false) ? " (knee)" : ""))};
    for (const auto& [name, r] : part_of(f, "responses").items())
      if (r.contains("mean") && r["mean"].is_number())
        row.push_back(
            number("", title_of_response(study, name), number_in(r, "mean")).known_to(number_in(r, "sd"))),
            row.back().unit = unit_of_response(study, name);
    for (Figure& c : point_columns(study, part_of(f, "point"))) row.push_back(std::move(c));
    front.push_back(std::move(row));
  }
  const Kept& near = part_of(d, "near_best");
  const auto range = [](const Kept& ends) {
    std::string words;
    if (ends.size() == 2 && ends[0].is_number()) return pretty(ends[0], 4) + " … " + pretty(ends[1], 4);
    for (const Kept& e : ends)
      words += (words.empty() ? "" : ", ") + (e.is_string() ? e.get<std::string>() : e.dump());
    return words.empty() ? std::string("–") : words;
  };
  for (const auto& [name, alone] : part_of(near, "alone").items())
    region.push_back({text("", "parameter", title_of_parameter(study, name)), text("", "alone", range(alone)),
                      text("", "all together", range(part_of(part_of(near, "box"), name.c_str())))});
  for (const Kept& c : part_of(d, "conflicts"))
    for (const Kept& g : part_of(c, "give"))
      conflicts.push_back(
          {text("", "limit", text_in(g, "limit")), number("", "would have to give by", number_in(g, "by"))});
  add(out, of + "proposals, predicted", proposals);
  add(out, of + "their settings", settings);
  add(out, of + "what limits proposal 1, and what a unit more would give", limited);
  add(out, of + "settings no worse than the best", region);
  add(out, of + "the trade-off, predicted", front);
  add(out, of + "limits that cannot hold together", conflicts);
}

std::vector<NamedTable> of_seeking(const Study& study, const Kept& d) {
  std::vector<NamedTable> out;
  const double level = level_in(d);
  if (d.contains("scenarios"))
    for (const Kept& s : part_of(d, "scenarios"))
      add_seeking(out, study, s, text_in(s, "scenario") + ": ", level);
  else
    add_seeking(out, study, d, "", level);
  return out;
}

std::vector<NamedTable> of_confirming(const Study& study, const Kept& d) {
  std::vector<NamedTable> out;
  const double level = level_in(d);
  for (const Kept& p : part_of(d, "proposals")) {
    Rows rows;
    for (const auto& [name, r] : part_of(p, "responses").items()) {
      if (!r.contains("predicted") || !r["predicted"].is_number()) continue;
      const Bounds b = bounds_in(r, "prediction");
      rows.push_back(
          {text("", "response", with_unit(title_of_response(study, name), unit_of_response(study, name))),
           text("", "predicted", pretty(number_in(r, "predicted"), 5)),
           text("", fmt::format("{:.0f} % of a run", 100 * level),
                std::isfinite(b.low) ? pretty(b.low, 5) + " … " + pretty(b.high, 5) : "–"),
           text("", "computed", pretty(number_in(r, "computed"), 5)),
           number("", "error", number_in(r, "error_percent"), 2),
           text("", "inside",
                r.contains("within_interval") && r["within_interval"].is_boolean()
                    ? (r["within_interval"].get<bool>() ? "yes" : "NO")
                    : "–")});
      rows.back()[4].unit = "%";
    }
    add(out, fmt::format("run {}: {}", number_in(p, "run"), text_in(p, "status")), rows);
  }
  return out;
}

std::vector<NamedTable> of_assessing(const Study&, const Kept& d) {
  std::vector<NamedTable> out;
  Rows terms, aliases;
  for (const Kept& t : part_of(d, "terms")) {
    const Kept& power = part_of(t, "power");
    terms.push_back({text("", "term", text_in(t, "term")),
                     number("", "std. error per σ", number_in(t, "std_error_per_sigma"), 3),
                     number("", "VIF", number_in(t, "vif"), 3),
                     number("", "power for 1 σ", number_in(power, "1"), 3),
                     number("", "power for 2 σ", number_in(power, "2"), 3)});
  }
  for (const Kept& a : part_of(d, "aliases"))
    aliases.push_back({text("", "term", text_in(a, "term")), text("", "with", text_in(a, "with")),
                       number("", "correlation", number_in(a, "correlation"), 3)});
  add(out, "terms that the plan can estimate", terms);
  add(out, "terms that it cannot keep apart", aliases);
  return out;
}

std::vector<NamedTable> of_extremes(const Study& study, const Kept& d) {
  Rows rows;
  for (const Kept& r : part_of(d, "responses"))
    for (const char* end : {"min", "max"}) {
      Figures row = {text("", "response", title_of_response(study, text_in(r, "response"))),
                     text("", "", end).as(end), number("", "predicted", number_in(part_of(r, end), "value"))};
      for (Figure& f : point_columns(study, part_of(part_of(r, end), "point"))) row.push_back(std::move(f));
      rows.push_back(std::move(row));
    }
  std::vector<NamedTable> out;
  add(out, "smallest and largest values, predicted", rows);
  return out;
}

using TablesOf = std::vector<NamedTable> (*)(const Study&, const Kept&);
const std::vector<std::pair<std::string, TablesOf>>& table() {
  static const std::vector<std::pair<std::string, TablesOf>> all = {{"runs", of_runs},
                                                                    {"fit", of_models},
                                                                    {"rank", of_ranking},
                                                                    {"seek", of_seeking},
                                                                    {"confirm", of_confirming},
                                                                    {"tolerance", tables_of_tolerance},
                                                                    {"window", tables_of_window},
                                                                    {"assess", of_assessing},
                                                                    {"extremes", of_extremes}};
  return all;
}

}  // namespace

std::vector<NamedTable> tables_of(const Study& study, const std::string& verb,
                                  const nlohmann::json& document) {
  for (const auto& [name, make] : table())
    if (name == verb) return make(study, document);
  return {};
}

std::vector<NamedTable> tables_of(const Study& study, const std::string& verb, const Json& document) {
  return tables_of(study, verb, nlohmann::json::parse(json_text(document)));
}

const std::vector<std::string>& verbs_with_tables() {
  static const std::vector<std::string> names = [] {
    std::vector<std::string> out;
    for (const auto& [name, make] : table()) out.push_back(name);
    return out;
  }();
  return names;
}

}  // namespace renth
