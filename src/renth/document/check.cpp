#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/check.hpp>
#include <renth/document/parts.hpp>

namespace renth {

Json to_document(const Study& study, const CheckResult& r) {
  Json parameters = Json::array(), responses = Json::array(), limits = Json::array();
  for (const Parameter& p : study.space.parameters()) {
    Json one = {{"name", p.name}, {"unit", p.unit}};
    if (p.is_choice())
      one["choices"] = p.choices;
    else
      one["span"] = {p.low, p.high};
    if (p.kind == Parameter::Kind::levels)
      one["levels"] = p.values;
    else if (!p.values.empty())
      one["sizes"] = p.values;
    if (p.step > 0) one["step"] = p.step;
    one["nominal"] = p.is_choice() ? Json(p.choices[static_cast<std::size_t>(p.nominal)]) : Json(p.nominal);
    parameters.push_back(one);
  }
  for (const FixedParameter& f : study.fixed)
    parameters.push_back({{"name", f.name}, {"unit", f.unit}, {"fixed", json_value(f.value)}});
  for (const Response& x : study.responses)
    responses.push_back({{"name", x.name},
                         {"unit", x.unit},
                         {"along", x.axis >= 0 ? Json(study.axes[x.axis].name) : Json(nullptr)},
                         {"derive", x.derive ? Json(x.derive->text()) : Json(nullptr)}});
  for (const Limit& l : study.space.limits()) limits.push_back(l.text);
  return {{"name", study.name},
          {"seed", study.seed},
          {"parameters", parameters},
          {"limits", limits},
          {"feasible_share", r.feasible_share},
          {"responses", responses},
          {"suggested_runs", r.suggested},
          {"runs",
           {{"planned", r.planned},
            {"running", r.running},
            {"done", r.done},
            {"failed", r.failed},
            {"set_aside", r.set_aside}}},
          {"notes", notes_document(r.notes)}};
}

namespace {

std::string parameter_table(const Study& study) {
  TextTable parameters({"parameter", "unit", "from", "to", "nominal", "what can be set"});
  for (const Parameter& p : study.space.parameters()) {
    parameters.text(p.name).text(p.unit);
    if (p.is_choice())
      parameters.text("")
          .text("")
          .text(p.choices[static_cast<std::size_t>(p.nominal)])
          .text(fmt::format("choice: {}", fmt::join(p.choices, ", ")));
    else
      parameters.text(pretty(p.low, 6))
          .text(pretty(p.high, 6))
          .text(pretty(p.nominal, 6))
          .text(p.kind == Parameter::Kind::levels ? fmt::format("levels {}", fmt::join(p.values, ", "))
                : !p.values.empty()               ? fmt::format("sizes {}", fmt::join(p.values, ", "))
                : p.step > 0                      ? fmt::format("steps of {}", p.step)
                                                  : "anything");
    parameters.end_row();
  }
  for (const FixedParameter& f : study.fixed) {
    const auto* number = std::get_if<double>(&f.value);
    parameters.text(f.name)
        .text(f.unit)
        .text("")
        .text("")
        .text(number ? pretty(*number, 6) : std::get<std::string>(f.value))
        .text("fixed")
        .end_row();
  }
  return parameters.str();
}

std::string response_table(const Study& study) {
  TextTable responses({"response", "unit", "from", "goal", "accepted"});
  const char* const aims[] = {"maximise", "minimise", "target"};
  for (const Response& x : study.responses) {
    const std::string accepted = fmt::format("{}{}{}", x.accept.min ? ">= " + pretty(*x.accept.min) : "",
                                             x.accept.min && x.accept.max ? ", " : "",
                                             x.accept.max ? "<= " + pretty(*x.accept.max) : "");
    responses.text(x.name)
        .text(x.unit)
        .text(x.derive      ? x.derive->text()
              : x.axis >= 0 ? "solver, along " + study.axes[x.axis].name
                            : "solver")
        .text(!x.goal ? ""
                      : std::string(aims[static_cast<int>(*x.goal)]) +
                            (x.goal == Goal::Aim::target ? " " + pretty(x.target) : ""))
        .text(accepted)
        .end_row();
  }
  return responses.str();
}

}  // namespace

std::string to_table(const Study& study, const CheckResult& r) {
  std::string out = fmt::format("{}: {} parameters vary, {} fixed, {} responses, {} limits.\n\n", study.name,
                                study.space.size(), study.fixed.size(), study.responses.size(),
                                study.space.limits().size());
  out += parameter_table(study) + "\n";
  out += response_table(study) + "\n";
  for (const Limit& l : study.space.limits()) out += "limit: " + l.text + "\n";
  if (!study.space.limits().empty())
    out += fmt::format("The limits leave {:.1f} % of the box.\n", 100 * r.feasible_share);
  for (const Scenario& s : study.scenarios) out += fmt::format("scenario: {}\n", s.name);
  out += fmt::format(
      "Runs: {} done, {} failed, {} planned, {} running, {} set aside. Suggested for a first batch: {}.\n",
      r.done, r.failed, r.planned, r.running, r.set_aside, r.suggested);
  return out + notes_of(r.notes);
}

Json to_document(const Study&, const SampleCheck& r) {
  Json values = Json::object();
  for (const auto& [response, v] : r.values)
    values[response] = v.size() == 1 ? json_number(v[0]) : json_numbers(v);
  return {
      {"file", r.file}, {"responses", values}, {"problems", r.problems}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const SampleCheck& r) {
  std::string out;
  TextTable table({"response", "value"});
  for (const Response& x : study.responses) {
    const auto found = r.values.find(x.name);
    if (found == r.values.end()) continue;
    std::string text;
    for (const double v : found->second)
      text += (text.empty() ? "" : ", ") + (std::isfinite(v) ? pretty(v, 8) : std::string("missing"));
    table.text(with_unit(x.name, x.unit)).text(text).end_row();
  }
  if (r.problems.empty())
    out += fmt::format("All responses are found in {}.\n\n", r.file);
  else
    out += fmt::format("{} in {}:\n", count_of(static_cast<int>(r.problems.size()), "problem"), r.file);
  for (const std::string& p : r.problems) out += "  " + p + "\n";
  if (!r.values.empty()) out += (r.problems.empty() ? "" : "\n") + table.str();
  return out + notes_of(r.notes);
}

}  // namespace renth
