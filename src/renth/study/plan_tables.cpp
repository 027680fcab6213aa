#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/study/tables.hpp>

namespace renth {
namespace {

/// The variance that a share of the region does not exceed.
double at_share(const Assessment& a, double share) {
  for (const auto& [s, v] : a.variance.fraction)
    if (s >= share - 1e-9) return v;
  return NAN;
}

struct Figure {
  const char* name;
  double (*value)(const Assessment&);
  int digits;
};
const std::vector<Figure>& figures() {
  static const std::vector<Figure> all = {
      {"runs", [](const Assessment& a) { return double(a.runs); }, 6},
      {"residual degrees of freedom",
       [](const Assessment& a) { return double(a.runs) - double(a.terms.size()); }, 6},
      {"D-efficiency", [](const Assessment& a) { return a.information.d_efficiency; }, 4},
      {"A-efficiency", [](const Assessment& a) { return a.information.a_efficiency; }, 4},
      {"G-efficiency", [](const Assessment& a) { return a.g_efficiency; }, 4},
      {"mean prediction variance / σ² (I)", [](const Assessment& a) { return a.information.i_value; }, 4},
      {"… half of the region below", [](const Assessment& a) { return at_share(a, 0.5); }, 4},
      {"… 90 % of the region below", [](const Assessment& a) { return at_share(a, 0.9); }, 4},
      {"… the largest",
       [](const Assessment& a) { return a.variance.fraction.empty() ? NAN : a.variance.max; }, 4},
      {"largest variance inflation", [](const Assessment& a) { return a.information.max_vif; }, 4},
      {"condition number", [](const Assessment& a) { return a.information.condition; }, 4},
      {"largest leverage",
       [](const Assessment& a) {
         return a.information.leverage.size() > 0 ? a.information.leverage.maxCoeff() : NAN;
       },
       4},
      {"smallest distance of two runs", [](const Assessment& a) { return a.evenness.min_distance; }, 4},
      {"mean distance to the nearest", [](const Assessment& a) { return a.evenness.mean_nearest; }, 4},
      {"centred L2 discrepancy", [](const Assessment& a) { return a.evenness.discrepancy; }, 4},
      {"largest correlation of two columns",
       [](const Assessment& a) { return a.evenness.max_abs_correlation; }, 4},
  };
  return all;
}

std::string side_by_side(const std::vector<std::pair<std::string, const Assessment*>>& plans) {
  std::vector<std::string> header = {"figure"};
  for (const auto& [name, a] : plans) header.push_back(name);
  TextTable table(header);
  for (const Figure& f : figures()) {
    table.text(f.name);
    for (const auto& [name, a] : plans) {
      const double v = f.value(*a);
      table.text(std::isfinite(v) ? pretty(v, f.digits) : "–");
    }
    table.end_row();
  }
  return table.str();
}

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

std::string verdict(const Assessment& a) {
  if (!a.information.estimable) return "cannot be fitted";
  if (Eigen::Index(a.terms.size()) == a.runs) return "fits exactly, with nothing left to check it";
  return fmt::format("a prediction is good to {} σ on average and {} σ at worst",
                     pretty(std::sqrt(a.information.i_value), 2), pretty(std::sqrt(a.variance.max), 2));
}

std::string sweep_table(const Study& study, const PlanResult& r) {
  std::string out = fmt::format("Optimal plans of each size for {}; nothing is stored.\n\n", r.model);
  TextTable table({"runs", "ln det", "D-eff", "A-eff", "G-eff", "mean variance", "largest VIF", ""});
  for (const SweepLine& l : r.sweep->lines)
    table.text(std::to_string(l.runs))
        .number(l.log_det, 5)
        .number(l.d_efficiency, 4)
        .number(l.a_efficiency, 4)
        .number(l.g_efficiency, 4)
        .number(l.i_value, 4)
        .number(l.max_vif, 4)
        .text(l.runs == r.sweep->suggested ? "← suggested"
              : l.runs == r.sweep->knee    ? "← knee"
                                           : "")
        .end_row();
  out += table.str() + "\nSuggestion: " + r.sweep->why + ".\n" + notes_of(r.notes);
  (void)study;
  const auto found = r.batch.options.find("command");
  return out + fmt::format("next: renth plan optimal --runs {}{}, which adds that very plan\n",
                           r.sweep->suggested, found == r.batch.options.end() ? "" : " " + found->second);
}

}  // namespace

std::string to_table(const Study& study, const PlanResult& r) {
  if (r.sweep) return sweep_table(study, r);
  std::string out =
      fmt::format("{} {} runs in batch {} by {}, for {}.\n", r.stored ? "Planned" : "Would plan",
                  r.plan.size(), r.batch.name, r.batch.method,
                  r.batch.use == "fit"     ? "fitting"
                  : r.batch.use == "check" ? "checking"
                                           : "confirming");
  if (!r.why.empty()) out += "Why: " + r.why + ".\n";
  const bool blocks = r.plan.size() > 0 && r.plan.blocks.minCoeff() != r.plan.blocks.maxCoeff();
  std::vector<std::string> header = {"run", "origin"};
  if (blocks) header.emplace_back("block");
  for (const std::string& h : parameter_headers(study)) header.push_back(h);
  TextTable table(header);
  const Eigen::Index most = blocks ? 40 : 12;
  for (Eigen::Index i = 0; i < r.plan.size() && i < most; ++i) {
    table.text(r.ids.empty() ? "–" : std::to_string(r.ids[std::size_t(i)]))
        .text(r.plan.origins[std::size_t(i)]);
    if (blocks) table.text(std::to_string(r.plan.blocks[i] + 1));
    add_point(table, study, r.plan.points.row(i).transpose());
    table.end_row();
  }
  out += "\n" + table.str();
  if (r.plan.size() > most)
    out += r.stored ? fmt::format("  … and {} more: renth runs --where \"batch == '{}'\"\n",
                                  r.plan.size() - most, r.batch.name)
                    : fmt::format("  … and {} more\n", r.plan.size() - most);
  if (r.assessment && r.before) {
    out += "\n" + side_by_side({{"before", &*r.before}, {"after", &*r.assessment}});
  } else if (r.assessment) {
    out += fmt::format("\nFor {} terms ({}): {}.\n\n", r.assessment->terms.size(),
                       r.assessment->terms_chosen ? "the richest polynomial these runs carry" : "as asked",
                       verdict(*r.assessment));
    out += side_by_side({{r.batch.name, &*r.assessment}});
  } else if (std::isfinite(r.evenness.min_distance)) {
    out += fmt::format(
        "\nIn the unit cube the two nearest runs are {} apart, a run {} from its nearest on average; the "
        "largest correlation of two columns is {}.\n",
        pretty(r.evenness.min_distance, 3), pretty(r.evenness.mean_nearest, 3),
        pretty(r.evenness.max_abs_correlation, 2));
  }
  if (r.from_fit_runs && std::isfinite(*r.from_fit_runs))
    out +=
        fmt::format("No check run is nearer than {} to a run that is fitted.\n", pretty(*r.from_fit_runs, 3));
  out += notes_of(r.notes);
  if (r.stored)
    out += study.solver.kind == SolverSpec::Kind::manual
               ? "next: renth runs --export FILE, fill in the responses, renth import FILE\n"
               : "next: renth assess, to judge it, or renth run\n";
  else
    out += "Nothing was stored: leave --dry-run out to keep it.\n";
  return out;
}

std::string to_table(const Study& study, const AssessResult& r) {
  const Assessment& first = r.plans[0].assessment;
  std::string out;
  for (const auto& p : r.plans)
    out += fmt::format("{}: {} runs for {} terms: {}.\n", p.name, p.assessment.runs,
                       p.assessment.terms.size(), verdict(p.assessment));
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
