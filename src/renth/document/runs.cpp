#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/text.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/runs.hpp>
#include <renth/space/shown.hpp>

namespace renth {

namespace {

/// What a run gave; in print only numbers, of all runs the same.
Figures responses_of(const Study& study, const Run& run) {
  Figures out;
  for (const Response& response : study.responses) {
    const auto found = run.responses.find(response.name);
    const bool missing = found == run.responses.end();
    const bool shown = !response.derive && !response.is_curve();
    if (shown) {
      const std::string key = missing ? "" : response.name;
      out.push_back(number(key, response.name,
                           missing || found->second.values.empty() ? NAN : found->second.values[0]));
      out.back().unit = response.unit;
    } else if (!missing) {
      out.push_back(raw(response.name, json_numbers(on_axis(study, response, found->second))));
    }
  }
  for (const auto& [key, output] : run.responses)  // responses that the study no longer has
    if (study.response(key) < 0)
      out.push_back(
          raw(key, output.values.size() == 1 ? json_number(output.values[0]) : json_numbers(output.values)));
  return out;
}

/// Settings as they were; in print those that vary now.
Figures settings_of(const Study& study, const Run& run) {
  Figures out;
  for (const Parameter& p : study.space.parameters()) {
    const auto found = run.settings.find(p.name);
    if (found == run.settings.end())
      out.push_back(text("", p.name, "–"));
    else if (const auto* v = std::get_if<double>(&found->second))
      out.push_back(number("", p.name, *v, 5)), out.back().decimals = shown_decimals(p, *v);
    else
      out.push_back(text("", p.name, std::get<std::string>(found->second)));
    out.back().unit = p.unit;
  }
  return out;
}

std::string remark_of(const Run& run) {
  std::string out = run.set_aside ? "set aside: " + *run.set_aside : "";
  for (const auto& [response, why] : run.response_set_aside)
    out += (out.empty() ? "" : "; ") + response + " set aside: " + why;
  if (!run.message.empty()) out += (out.empty() ? "" : "; ") + run.message;
  constexpr std::size_t most = 90, ellipsis = 3;  // bytes
  return out.size() <= most ? out : shortened(out, most - ellipsis);
}

Figures figures(const Study& study, const Run& run) {
  Json aside = nullptr;
  if (run.set_aside)
    aside = *run.set_aside;
  else if (!run.response_set_aside.empty())
    aside = Json(run.response_set_aside);
  return {whole("id", "run", run.id),         text("batch", "batch", run.batch),
          text("use", "", run.use),           text("origin", "", run.origin),
          whole("block", "", run.block),      text("status", "status", std::string(name(run.status))),
          raw("set_aside", std::move(aside)), raw("point", json_settings(study, run.settings)),
          group("", settings_of(study, run)), group("responses", responses_of(study, run)),
          text("message", "", run.message),   number("seconds", "", run.seconds),
          text("", "remark", remark_of(run))};
}

}  // namespace

Json to_document(const Study& study, const RunsResult& r) {
  Json runs = Json::array();
  for (const Run& run : r.runs) runs.push_back(json_of(figures(study, run)));
  return {{"runs", runs}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const RunsResult& r) {
  FigureTable table;
  int counts[4] = {};
  for (const Run& run : r.runs) {
    ++counts[static_cast<int>(run.status)];
    table.add(figures(study, run));
  }
  return (r.runs.empty() ? "" : table.str() + "\n") +
         fmt::format("{} runs: {} done, {} failed, {} planned, {} running.\n", r.runs.size(), counts[2],
                     counts[3], counts[0], counts[1]) +
         notes_of(r.notes);
}

}  // namespace renth
