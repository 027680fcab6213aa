#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/tolerance.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

Figures figures_of_response(const ToleranceAnswer& a, const ResponseSpread& r) {
  const bool limited = a.accept[std::size_t(r.response)].any();
  Rows histogram;
  for (const auto& bin : r.histogram)
    histogram.push_back(
        {number("from", "", bin.from), number("to", "", bin.to), number("share", "", bin.share)});
  return {number("mean", "mean", r.mean).known_to(r.sd),
          number("sd", "sd", r.sd).as(pretty(r.sd, 3)),
          number("p05", "5 %", r.p05).known_to(r.sd),
          number("p50", "median", r.p50).known_to(r.sd),
          number("p95", "95 %", r.p95).known_to(r.sd),
          limited ? per_cent("yield", "in specification", r.yield.value, 4)
                  : per_cent("yield", "in specification", r.yield.value, 4).as("no limit"),
          raw("yield_interval", Json{r.yield.low, r.yield.high}),
          number("capability", "capability", r.capability, 3)
              .as(std::isfinite(r.capability) ? fmt::format("{:.2f}", r.capability) : "–"),
          list("histogram", std::move(histogram))};
}

Figures figures_of_parameter(const ToleranceAnswer& a, const ParameterCost& p) {
  Rows bins;
  for (const auto& bin : p.bins)
    bins.push_back({number("from", "", bin.from), number("to", "", bin.to),
                    number("yield", "", bin.yield.value), number("low", "", bin.yield.low),
                    number("high", "", bin.yield.high)});
  Figure slack = number("slack", "may grow by a factor of", p.slack.value_or(NAN), 3);
  if (!p.slack && std::isfinite(p.cost.value)) slack = std::move(slack).as("more than 100");
  return {text("parameter", "parameter", a.space[p.parameter].name),
          per_cent("cost", "yield it costs", p.cost.value, 3),
          bounds("cost_interval", "of that", p.cost.low, p.cost.high, a.level)
              .as(fmt::format("{:.2f} … {:.2f} %", 100 * p.cost.low, 100 * p.cost.high)),
          std::move(slack), list("bins", std::move(bins))};
}

/// Dearest first.
Rows parameter_rows(const ToleranceAnswer& a) {
  std::vector<ParameterCost> sorted = a.result.parameters;
  std::stable_sort(sorted.begin(), sorted.end(),
                   [](const auto& x, const auto& y) { return x.cost.value > y.cost.value; });
  Rows out;
  for (const ParameterCost& p : sorted) out.push_back(figures_of_parameter(a, p));
  return out;
}

Rows response_rows(const Study& study, const ToleranceAnswer& a, bool units) {
  Rows out;
  for (const ResponseSpread& r : a.result.responses) {
    const Response& response = study.responses[std::size_t(r.response)];
    out.push_back(
        {text("response", "response", units ? with_unit(response.name, response.unit) : response.name)});
    for (Figure& f : figures_of_response(a, r)) out.back().push_back(std::move(f));
  }
  return out;
}

Json texts_of(const ToleranceAnswer& a, const std::vector<std::size_t>& limits) {
  Json out = Json::array();
  for (const std::size_t l : limits) out.push_back(a.limits[l].text);
  return out;
}

Json together_document(const ToleranceAnswer& a) {
  Json out = Json::array();
  for (const auto& t : a.result.shares.broken)
    out.push_back({{"limits", texts_of(a, t.limits)}, {"share", t.share}});
  return out;
}

Rows limit_rows(const ToleranceAnswer& a) {
  Rows out;
  for (std::size_t l = 0; l < a.limits.size(); ++l)
    out.push_back({text("limit", "limit", a.limits[l].text),
                   per_cent("yield", "hold it", a.result.shares.single[l], 4)});
  return out;
}

Rows reach_rows(const ToleranceAnswer& a) {
  std::vector<ToleranceReach::One> sorted = a.result.reach->tolerances;
  std::stable_sort(sorted.begin(), sorted.end(),
                   [](const auto& x, const auto& y) { return x.factor < y.factor; });
  Rows out;
  for (const auto& one : sorted)
    out.push_back({text("parameter", "parameter", a.space[one.parameter].name),
                   number("factor", "scatter times", one.factor, 3)});
  return out;
}

Json better_document(const Study& study, const ToleranceAnswer& a) {
  if (!a.better) return nullptr;
  Json means = Json::array();
  for (const auto& m : a.better->means)
    means.push_back({{"response", study.responses[std::size_t(m.response)].name},
                     {"before", m.before},
                     {"after", m.after}});
  return {{"point", json_of(Figures{setting("point", study, a.better->at)})["point"]},
          {"yield", a.better->after.value},
          {"yield_interval", {a.better->after.low, a.better->after.high}},
          {"yield_before", a.better->before.value},
          {"means", means}};
}

Json worst_document(const Study& study, const ToleranceAnswer& a) {
  Json out = Json::array();
  for (const WorstCase& w : a.result.worst)
    out.push_back({{"limit", a.limits[std::size_t(w.limit)].text},
                   {"margin", std::isfinite(w.margin) ? Json(w.margin) : Json(nullptr)},
                   {"point", json_of(Figures{setting("point", study, w.point)})["point"]}});
  return out;
}

/// Decimals of a share in per cent that its interval deserves.
int decimals_of(const Estimate& e) {
  const double half = 100 * e.half_width();
  return half > 0 ? std::clamp(int(std::ceil(-std::log10(half))), 1, 7) : 2;
}

std::string yield_text(const Estimate& e) {
  const std::string text = fmt::format("{:.{}f} %", 100 * e.value, decimals_of(e));
  if (text.rfind("100.0", 0) != 0 || e.value == e.low) return text;
  return fmt::format("more than {:.{}f} %", 100 * std::min(e.low, 1 - 1e-9), decimals_of(e));
}

std::string interval_text(const Estimate& e) {
  return fmt::format("{:.{}f} to {:.{}f}", 100 * e.low, decimals_of(e), 100 * e.high, decimals_of(e));
}

std::string first_sentence(const Study& study, const ToleranceAnswer& a) {
  const ToleranceResult& r = a.result;
  if (a.from_runs)
    return fmt::format(
        "yield: {} of the {} runs of {} are in specification ({}: {}); the surrogates say {:.3g} % of the "
        "same.\n",
        yield_text(r.yield), r.samples, a.setting, level_text(a.level), interval_text(r.yield),
        100 * a.surrogate_says.value_or(NAN));
  std::string out = fmt::format("yield: {} of what is made at {} ({}) is in specification.\n",
                                yield_text(r.yield), a.setting, describe(study.space, r.at));
  out += fmt::format("  {} {} by {} draws ({}{})", level_text(a.level), interval_text(r.yield), r.samples,
                     sampling_words(r.method), r.rare ? ", then level by level" : "");
  if (std::isfinite(r.as_random) && r.as_random > 1.2 * double(r.samples))
    out += fmt::format(", as sure as {:.0f} random ones", r.as_random);
  if (r.with_surrogate)
    out += fmt::format("; {} with the surrogates' own errors", interval_text(*r.with_surrogate));
  out += ".\n";
  if (a.as_in_file)
    out += fmt::format("  With the scatter and the limits of study.toml: {}.\n", yield_text(*a.as_in_file));
  return out;
}

std::string who_costs_it(const ToleranceAnswer& a) {
  const Rows rows = parameter_rows(a);
  if (rows.empty() || a.from_runs) return "";
  std::string out =
      "\nWho costs it: the yield regained if one parameter alone were held exactly, and how much its scatter "
      "may "
      "grow until a hundredth is lost.\n";
  return out + table_of(only(rows, {"parameter", "cost", "cost_interval", "slack"})) + "\n";
}

std::string reach_text(const ToleranceAnswer& a) {
  if (!a.result.reach) return "";
  const ToleranceReach& r = *a.result.reach;
  if (!r.reached)
    return fmt::format(
               "\nNo tighter tolerance brings the yield to {:.4g} %: with these it is {}; move the setting "
               "instead "
               "(--centre).\n",
               100 * r.target, yield_text(r.yield)) +
           table_of(reach_rows(a)) + "\n";
  return fmt::format("\nCheapest tolerances for a yield of {:.4g} % (then {}), tightest first:\n",
                     100 * r.target, yield_text(r.yield)) +
         table_of(reach_rows(a)) + "\n";
}

std::string better_text(const Study& study, const ToleranceAnswer& a) {
  if (!a.better) return "";
  if ((a.better->at - a.result.at).isZero(0)) return "\nNo setting nearby has a higher yield.\n";
  std::string out = fmt::format("\nA better centre: {} at {} (now {}).\n", yield_text(a.better->after),
                                describe(study.space, a.better->at), yield_text(a.better->before));
  for (const auto& m : a.better->means) {
    const Response& r = study.responses[std::size_t(m.response)];
    if (r.goal)
      out += fmt::format("  {} on average {:.4g} instead of {:.4g}\n", with_unit(r.name, r.unit), m.after,
                         m.before);
  }
  return out;
}

std::string worst_table(const Study& study, const ToleranceAnswer& a) {
  std::string out = fmt::format("The worst of {} corners of the tolerances at {} ({}):\n", a.result.samples,
                                a.setting, describe(study.space, a.result.at));
  Rows rows;
  for (const WorstCase& w : a.result.worst)
    rows.push_back({text("", "limit", a.limits[std::size_t(w.limit)].text),
                    number("", "margin there", w.margin, 4), yes_no("", "holds", w.margin >= 0),
                    setting("", study, w.point)});
  return out + table_of(rows) + "\n";
}

}  // namespace

Json to_document(const Study& study, const ToleranceAnswer& a) {
  const ToleranceResult& r = a.result;
  Json out;
  out["at"] = json_of(Figures{setting("at", study, r.at)})["at"];
  out["setting"] = a.setting;
  out["samples"] = r.samples;
  out["method"] = sampling_words(r.method);
  out["basis"] = a.from_runs ? "runs" : "surrogate";
  out["yield"] = json_number(r.yield.value);
  out["yield_interval"] = std::isfinite(r.yield.low) ? Json{r.yield.low, r.yield.high} : Json(nullptr);
  out["surrogate_interval"] =
      r.with_surrogate ? Json{r.with_surrogate->low, r.with_surrogate->high} : Json(nullptr);
  out["as_random"] = json_number(r.as_random);
  out["rare"] = r.rare;
  out["yield_as_in_file"] = a.as_in_file ? Json(a.as_in_file->value) : Json(nullptr);
  out["surrogate_says"] = a.surrogate_says ? Json(*a.surrogate_says) : Json(nullptr);
  out["responses"] = json_of(response_rows(study, a, false));
  out["parameters"] = json_of(parameter_rows(a));
  out["limits"] = r.method == Sampling::corners ? Json::array() : json_of(limit_rows(a));
  out["together"] = together_document(a);
  out["reach"] = nullptr;
  if (r.reach)
    out["reach"] = {{"target", r.reach->target},
                    {"reached", r.reach->reached},
                    {"yield", r.reach->yield.value},
                    {"cost", r.reach->cost},
                    {"tolerances", json_of(reach_rows(a))}};
  out["better"] = better_document(study, a);
  out["worst"] = worst_document(study, a);
  out["outside"] = r.outside;
  out["failure_risk"] = json_number(r.failure_risk);
  out["level"] = a.level;
  Notes notes = a.notes;
  if (r.method == Sampling::corners)
    notes.push_back({"corners", "yield is null: corners are the worst case, no share of what is made"});
  else if (!r.with_surrogate)
    notes.push_back({"surrogate_interval", "surrogate_interval is null: real runs need no surrogate"});
  if (!r.reach) notes.push_back({"reach", "reach is null: --reach 0.99 looks for tolerances"});
  if (!a.better) notes.push_back({"better", "better is null: --centre looks for a better setting nearby"});
  if (!std::isfinite(r.failure_risk))
    notes.push_back({"no_failure", "failure_risk is null: no run has failed, or none was asked"});
  if (!a.as_in_file) notes.push_back({"as_in_file", "yield_as_in_file is null: nothing else was typed"});
  if (!a.surrogate_says)
    notes.push_back({"surrogate_says", "surrogate_says is null: it is of real runs (--batch)"});
  if (std::any_of(r.parameters.begin(), r.parameters.end(), [](const auto& p) { return !p.slack; }))
    notes.push_back({"slack", a.from_runs
                                  ? "cost and slack are null: real runs tell the yield by value only"
                                  : "a slack that is null: a hundredfold scatter loses no hundredth"});
  if (std::any_of(r.responses.begin(), r.responses.end(),
                  [](const auto& s) { return !std::isfinite(s.capability); }))
    notes.push_back(
        {"capability", "a capability that is null: the response has no limits, or does not move"});
  out["notes"] = notes_document(notes);
  return out;
}

std::string to_table(const Study& study, const ToleranceAnswer& a) {
  const ToleranceResult& r = a.result;
  std::string out;
  if (r.method == Sampling::corners) {
    out = worst_table(study, a);
  } else {
    out = first_sentence(study, a);
    out += "\n" +
           table_of(only(response_rows(study, a, true),
                         {"response", "mean", "sd", "p05", "p50", "p95", "yield", "capability"})) +
           "\n";
    if (a.limits.size() > 1) out += table_of(limit_rows(a));
    int said = 0;
    for (const auto& t : r.shares.broken)
      if (t.limits.size() > 1 && said++ < 3) {
        std::vector<std::string> names;
        for (const std::size_t l : t.limits) names.push_back(a.limits[l].text);
        out += fmt::format("{:.3g} % break {} together\n", 100 * t.share, listed(names));
      }
    out += who_costs_it(a) + reach_text(a) + better_text(study, a);
  }
  out += notes_of(a.notes);
  if (a.better && !(a.better->at - r.at).isZero(0))
    out += next_step("renth mark better --at " + as_typed({exact_settings(study.space, a.better->at)}),
                     "then renth confirm --mark better");
  else if (!a.from_runs && r.method != Sampling::corners && r.yield.value < 0.99)
    out += next_step("renth tolerance --centre --reach 0.99",
                     "a better setting, and which tolerances to tighten");
  return out;
}

}  // namespace renth
