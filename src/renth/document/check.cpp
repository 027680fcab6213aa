#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/check.hpp>
#include <renth/document/parts.hpp>

namespace renth {

namespace {

/// One side of what is accepted: a number, or the span of those along an axis; empty: no limit.
std::string limit_text(const char* sign, const std::optional<double>& all, const std::vector<double>& along) {
  if (along.empty()) return all ? sign + pretty(*all) : "";
  const auto [low, high] = std::minmax_element(along.begin(), along.end());
  return fmt::format("{}{} … {} along its axis", sign, pretty(*low), pretty(*high));
}

std::string accepted_text(const Accept& a) {
  const std::string least = limit_text(">= ", a.min, a.min_along),
                    most = limit_text("<= ", a.max, a.max_along);
  return least + (least.empty() || most.empty() ? "" : ", ") + most;
}

/// What can be set of a number, in words.
std::string settable_text(const Parameter& p) {
  return p.kind == Parameter::Kind::levels ? fmt::format("levels {}", fmt::join(p.values, ", "))
         : !p.values.empty()               ? fmt::format("sizes {}", fmt::join(p.values, ", "))
         : p.step > 0                      ? fmt::format("steps of {}", p.step)
                                           : "anything";
}

Figures of_parameter(const Parameter& p) {
  Figures out = {text("parameter", "parameter", p.name), text("unit", "unit", p.unit)};
  const std::string from = p.is_choice() ? "" : pretty(p.low, 6), to = p.is_choice() ? "" : pretty(p.high, 6);
  out.push_back(text("", "from", from));
  out.push_back(text("", "to", to));
  out.push_back(p.is_choice() ? raw("choices", p.choices) : raw("span", {p.low, p.high}));
  if (p.kind == Parameter::Kind::levels)
    out.push_back(raw("levels", p.values));
  else if (!p.values.empty())
    out.push_back(raw("sizes", p.values));
  if (p.step > 0) out.push_back(number("step", "", p.step));
  out.push_back(p.is_choice() ? text("nominal", "nominal", p.choices[std::size_t(p.nominal)])
                              : number("nominal", "nominal", p.nominal).as(pretty(p.nominal, 6)));
  out.push_back(
      text("", "what can be set",
           (p.is_choice() ? fmt::format("choice: {}", fmt::join(p.choices, ", ")) : settable_text(p)) +
               (p.hard ? "; hard to set anew" : "")));
  if (p.hard) out.push_back(raw("hard", true));
  return out;
}

Figures of_parameter(const FixedParameter& f) {
  const auto* number = std::get_if<double>(&f.value);
  return {text("parameter", "parameter", f.name),
          text("unit", "unit", f.unit),
          text("", "from", ""),
          text("", "to", ""),
          Figure{"fixed", "nominal", json_value(f.value)}.as(number ? pretty(*number, 6)
                                                                    : std::get<std::string>(f.value)),
          text("", "what can be set", "fixed")};
}

Rows parameter_rows(const Study& study) {
  Rows out;
  for (const Parameter& p : study.space.parameters()) out.push_back(of_parameter(p));
  for (const FixedParameter& f : study.fixed) out.push_back(of_parameter(f));
  return out;
}

std::string aim_text(const Response& x) {
  return !x.goal
             ? ""
             : std::string(aim_words(*x.goal)) + (x.goal == Goal::Aim::target ? " " + pretty(x.target) : "");
}

Rows response_rows(const Study& study) {
  Rows out;
  for (const Response& x : study.responses) {
    const Axis* axis = study.axis_of(x);
    out.push_back({text("response", "response", x.name), text("unit", "unit", x.unit),
                   axis ? text("along", "", axis->name) : nothing("along"),
                   x.derive ? text("derive", "", x.derive->text()) : nothing("derive"),
                   text("", "from",
                        x.derive ? x.derive->text()
                        : axis   ? "solver, along " + axis->name
                                 : "solver"),
                   text("", "goal", aim_text(x)), text("", "accepted", accepted_text(x.accept))});
  }
  return out;
}

}  // namespace

Json to_document(const Study& study, const CheckResult& r) {
  Json limits = Json::array();
  for (const Limit& l : study.space.limits()) limits.push_back(l.text);
  const Figures runs = {whole("planned", "", r.planned), whole("running", "", r.running),
                        whole("done", "", r.done), whole("failed", "", r.failed),
                        whole("set_aside", "", r.set_aside)};
  return json_of(Figures{text("name", "", study.name), raw("seed", study.seed),
                         list("parameters", parameter_rows(study)), raw("limits", std::move(limits)),
                         number("feasible_share", "", r.feasible_share),
                         list("responses", response_rows(study)), whole("suggested_runs", "", r.suggested),
                         group("runs", runs), raw("notes", notes_document(r.notes))});
}

std::string to_table(const Study& study, const CheckResult& r) {
  std::string out = fmt::format("{}: {} parameters vary, {} fixed, {} responses, {} limits.\n\n", study.name,
                                study.space.size(), study.fixed.size(), study.responses.size(),
                                study.space.limits().size());
  out += table_of(parameter_rows(study)) + "\n";
  out += table_of(response_rows(study)) + "\n";
  for (const Limit& l : study.space.limits()) out += "limit: " + l.text + "\n";
  if (!study.space.limits().empty())
    out += fmt::format("The limits leave {:.1f} % of the box.\n", 100 * r.feasible_share);
  for (const Scenario& s : study.scenarios) out += fmt::format("scenario: {}\n", s.name);
  out += fmt::format(
      "Runs: {} done, {} failed, {} planned, {} running, {} set aside. Suggested for a first batch: {}.\n",
      r.done, r.failed, r.planned, r.running, r.set_aside, r.suggested);
  return out + notes_of(r.notes);
}

namespace {

/// What was found of each response.
Rows found_rows(const Study& study, const SampleCheck& r) {
  Rows out;
  for (const Response& x : study.responses) {
    const auto found = r.values.find(x.name);
    if (found == r.values.end()) continue;
    std::string all;
    for (const double v : found->second)
      all += (all.empty() ? "" : ", ") + (std::isfinite(v) ? pretty(v, 8) : std::string("missing"));
    const bool one = found->second.size() == 1;
    out.push_back(
        {text("response", "response", x.name).as(with_unit(x.name, x.unit)),
         Figure{"value", "value", one ? json_number(found->second[0]) : json_numbers(found->second)}.as(
             all)});
  }
  return out;
}

}  // namespace

Json to_document(const Study& study, const SampleCheck& r) {
  return {{"file", r.file},
          {"responses", json_of(found_rows(study, r))},
          {"problems", r.problems},
          {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const SampleCheck& r) {
  std::string out;
  if (r.problems.empty())
    out += fmt::format("All responses are found in {}.\n\n", r.file);
  else
    out += fmt::format("{} in {}:\n", count_of(static_cast<int>(r.problems.size()), "problem"), r.file);
  for (const std::string& p : r.problems) out += "  " + p + "\n";
  if (!r.values.empty()) out += (r.problems.empty() ? "" : "\n") + table_of(found_rows(study, r));
  return out + notes_of(r.notes);
}

}  // namespace renth
