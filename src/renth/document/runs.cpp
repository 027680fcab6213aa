#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/runs.hpp>

namespace renth {

namespace {

Json run_document(const Study& study, const Run& run) {
  Json responses = Json::object();
  for (const Response& response : study.responses) {
    const auto found = run.responses.find(response.name);
    if (found == run.responses.end()) continue;
    const std::vector<double> y = on_axis(study, response, found->second);
    responses[response.name] = response.is_curve()            ? json_numbers(y)
                               : found->second.values.empty() ? Json(nullptr)
                                                              : json_number(found->second.values[0]);
  }
  for (const auto& [key, output] : run.responses)  // responses that the study no longer has
    if (study.response(key) < 0)
      responses[key] =
          output.values.size() == 1 ? json_number(output.values[0]) : json_numbers(output.values);
  Json aside = nullptr;
  if (run.set_aside)
    aside = *run.set_aside;
  else if (!run.response_set_aside.empty())
    aside = Json(run.response_set_aside);
  return {{"id", run.id},           {"batch", run.batch},
          {"use", run.use},         {"origin", run.origin},
          {"block", run.block},     {"status", std::string(name(run.status))},
          {"set_aside", aside},     {"point", json_settings(study, run.settings)},
          {"responses", responses}, {"message", run.message},
          {"seconds", run.seconds}};
}

}  // namespace

Json to_document(const Study& study, const RunsResult& r) {
  Json runs = Json::array();
  for (const Run& run : r.runs) runs.push_back(run_document(study, run));
  return {{"runs", runs}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const RunsResult& r) {
  std::vector<std::string> header = {"run", "batch", "status"};
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  std::vector<const Response*> shown;
  for (const Response& x : study.responses)
    if (!x.derive && x.axis < 0) shown.push_back(&x), header.push_back(with_unit(x.name, x.unit));
  header.push_back("remark");
  TextTable table(header);
  int counts[4] = {};
  for (const Run& run : r.runs) {
    ++counts[static_cast<int>(run.status)];
    table.text(std::to_string(run.id)).text(run.batch).text(std::string(name(run.status)));
    for (const Parameter& p : study.space.parameters()) {
      const auto found = run.settings.find(p.name);
      if (found == run.settings.end())
        table.text("–");
      else if (const auto* number = std::get_if<double>(&found->second))
        table.number(*number, 5);
      else
        table.text(std::get<std::string>(found->second));
    }
    for (const Response* x : shown) {
      const auto found = run.responses.find(x->name);
      table.number(found == run.responses.end() || found->second.values.empty() ? NAN
                                                                                : found->second.values[0]);
    }
    std::string remark = run.set_aside ? "set aside: " + *run.set_aside : "";
    for (const auto& [response, why] : run.response_set_aside)
      remark += (remark.empty() ? "" : "; ") + response + " set aside: " + why;
    if (!run.message.empty()) remark += (remark.empty() ? "" : "; ") + run.message;
    table.text(remark.size() > 90 ? remark.substr(0, 87) + "…" : remark).end_row();
  }
  return table.str() +
         fmt::format("\n{} runs: {} done, {} failed, {} planned, {} running.\n", r.runs.size(), counts[2],
                     counts[3], counts[0], counts[1]) +
         notes_of(r.notes);
}

}  // namespace renth
