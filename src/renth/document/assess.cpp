#include <fmt/format.h>

#include <renth/document/assess.hpp>
#include <renth/document/assessment.hpp>
#include <renth/document/parts.hpp>

namespace renth {

Json to_document(const Study& study, const AssessResult& r) {
  Json out = assessment_document(study, r.plans[0].name, r.plans[0].assessment);
  if (r.plans.size() > 1) {
    out["against"] = Json::array();
    for (std::size_t k = 1; k < r.plans.size(); ++k)
      out["against"].push_back(assessment_document(study, r.plans[k].name, r.plans[k].assessment));
  }
  out["notes"] = notes_document(r.notes);
  return out;
}

namespace {

std::string terms_table(const Study& study, const Assessment& a) {
  TextTable table({"term", "std error/σ", "VIF", "power 1σ", "power 2σ"});
  constexpr std::size_t most = 40;
  for (std::size_t t = 0; t < a.terms.size() && t < most; ++t) {
    const auto i = Eigen::Index(t);
    table.text(name(study.space, a.terms[t]))
        .number(a.information.std_error[i], 3)
        .number(a.information.vif[i], 3);
    table.number(a.power1[i], 2).number(a.power2[i], 2).end_row();
  }
  std::string out = table.str();
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
  out += side_by_side(plans);
  for (const auto& p : r.plans) {
    if (p.assessment.variance.fraction.empty()) continue;
    out +=
        fmt::format("{}: least known at {}.\n", p.name, describe(study.space, p.assessment.variance.max_at));
  }
  if (r.plans.size() == 1)
    out += "\n" + terms_table(study, first) +
           "Power: the chance to see a change of 1σ or 2σ between −1 and +1, at α 0.05.\n";
  for (const auto& p : r.plans) {
    const std::string aliases = aliases_of(p.assessment);
    if (!aliases.empty()) out += (r.plans.size() > 1 ? "\n" + p.name + ": " : "\n") + aliases;
  }
  return out + notes_of(r.notes);
}

}  // namespace renth
