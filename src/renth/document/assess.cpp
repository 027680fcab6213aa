#include <fmt/format.h>

#include <renth/document/assess.hpp>
#include <renth/document/assessment.hpp>
#include <renth/document/parts.hpp>

namespace renth {

Json to_document(const Study& study, const AssessResult& r) {
  Figures out = assessment_figures(study, r.plans[0].name, r.plans[0].assessment);
  Rows against;
  for (std::size_t k = 1; k < r.plans.size(); ++k)
    against.push_back(assessment_figures(study, r.plans[k].name, r.plans[k].assessment));
  if (!against.empty()) out.push_back(list("against", std::move(against)));
  out.push_back(raw("notes", notes_document(r.notes)));
  return json_of(out);
}

namespace {

std::string terms_table(const Study& study, const Assessment& a) {
  constexpr std::size_t most = 40;
  Rows rows = term_rows(study, a);
  if (rows.size() > most) rows.resize(most);
  std::string out = table_of(rows);
  if (a.terms.size() > most)
    out += fmt::format("  … and {} more: --json has them all\n", a.terms.size() - most);
  return out;
}

std::string aliases_of(const Assessment& a) {
  std::string out;
  constexpr std::size_t most = 12;
  for (std::size_t i = 0; i < a.aliases.size() && i < most; ++i)
    out += fmt::format("  {} with {} ({:+.2f})\n", a.aliases[i].term, a.aliases[i].with,
                       a.aliases[i].correlation);
  if (a.aliases.size() > most)
    out += fmt::format("  … and {} more: --json has them all\n", a.aliases.size() - most);
  return out.empty()
             ? ""
             : "Columns that go together (correlation 0.3 or more; terms outside the model too):\n" + out;
}

}  // namespace

std::string to_table(const Study& study, const AssessResult& r) {
  const Assessment& first = r.plans[0].assessment;
  std::string out;
  for (const auto& p : r.plans)
    out += fmt::format("{}: {} runs for {} terms: {}.\n", p.name, p.assessment.runs,
                       p.assessment.terms.size(), plan_verdict(p.assessment));
  out += fmt::format(
      "Terms: {}{}.\n\n", r.model,
      first.terms_chosen ? " (the richest polynomial these runs carry; --model asks for another)" : "");
  std::vector<std::pair<std::string, const Assessment*>> plans;
  for (const auto& p : r.plans) plans.emplace_back(p.name, &p.assessment);
  out += side_by_side(study, plans);
  for (const auto& p : r.plans) {
    if (p.assessment.variance.fraction.empty()) continue;
    out +=
        fmt::format("{}: least known at {}.\n", p.name, describe(study.space, p.assessment.variance.max_at));
  }
  if (r.plans.size() == 1)
    out += "\n" + terms_table(study, first) +
           "Power: the chance to see a change of 1σ or 2σ between −1 and +1, at α 0.05.\n";
  if (!r.plans.empty() && r.plans.front().assessment.whole_plots > 0)
    out +=
        "σ is the scatter of runs within a whole plot; setting the hard parameters anew is taken to scatter "
        "as "
        "much again.\n";
  for (const auto& p : r.plans) {
    const std::string aliases = aliases_of(p.assessment);
    if (!aliases.empty()) out += (r.plans.size() > 1 ? "\n" + p.name + ": " : "\n") + aliases;
  }
  return out + notes_of(r.notes);
}

}  // namespace renth
