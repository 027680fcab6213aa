#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <renth/document/kept_production.hpp>
#include <renth/document/kept_tables.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/runs.hpp>
#include <renth/report/telling.hpp>
#include <renth/space/scatter.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/failing.hpp>

namespace renth {
namespace {

/// What can be set of a parameter, in words.
std::string settable_words(const Parameter& p) {
  if (p.is_choice()) return listed_words(p.choices);
  if (!p.values.empty()) {
    std::vector<std::string> words;
    for (const double v : p.values) words.push_back(pretty(v, 5));
    return (p.kind == Parameter::Kind::levels ? "levels " : "sizes ") + listed_words(words);
  }
  return p.step > 0 ? "in steps of " + pretty(p.step, 5) : "any";
}

std::string scatter_text(const Parameter& p) {
  const Scatter& s = p.scatter;
  if (s.shape == Scatter::Shape::none) return "–";
  std::string out(scatter_words(s.shape));
  if (s.size > 0) out += s.relative ? fmt::format(" {} %", pretty(100 * s.size, 3)) : " " + pretty(s.size, 3);
  return out;
}

void tell_parameters(Telling& t) {
  Rows rows, fixed, responses;
  for (const Parameter& p : t.study().space.parameters())
    rows.push_back(
        {text("", "parameter", p.title()), text("", "name", p.name), text("", "unit", p.unit),
         text("", "span", p.is_choice() ? "–" : pretty(p.low, 5) + " … " + pretty(p.high, 5)),
         text("", "can be set", settable_words(p) + (p.hard ? "; hard to set anew" : "")),
         text("", "nominal", p.is_choice() ? p.choices[std::size_t(p.nominal)] : pretty(p.nominal, 5)),
         text("", "scatter", scatter_text(p))});
  for (const FixedParameter& f : t.study().fixed)
    fixed.push_back(
        {text("", "held fixed", f.label.empty() ? f.name : f.label),
         text("", "value", std::visit([](const auto& v) { return fmt::format("{}", v); }, f.value)),
         text("", "unit", f.unit)});
  for (const Response& r : t.study().responses)
    responses.push_back({text("", "response", r.title()), text("", "name", r.name), text("", "unit", r.unit),
                         text("", "is",
                              r.is_curve() ? "a curve along " + t.study().axis_of(r)->name
                              : r.derive   ? "derived from others"
                                           : "a number"),
                         text("", "wanted", [&] {
                           const std::string wish = wish_of(t.study(), r);
                           return wish.empty() ? std::string("–") : wish.substr(r.title().size() + 2);
                         }())});
  t.table("parameters", cells_of(rows));
  t.table("", cells_of(fixed));
  t.table("responses", cells_of(responses));
  std::vector<std::string> limits;
  for (const Limit& l : t.study().space.limits()) limits.push_back("Only settings with " + l.text + ".");
  t.list(std::move(limits));
}

/// How many runs of each batch, by what became of them.
void tell_batches(Telling& t) {
  struct Count {
    std::string use;
    int done = 0, failed = 0, left = 0, aside = 0;
  };
  std::map<std::string, Count> batches;
  std::vector<std::string> order;
  for (const Run& r : t.runs) {
    if (!batches.contains(r.batch)) order.push_back(r.batch);
    Count& c = batches[r.batch];
    c.use = r.use;
    (r.status == RunStatus::done ? c.done : r.status == RunStatus::failed ? c.failed : c.left) += 1;
    c.aside += r.set_aside ? 1 : 0;
  }
  std::map<std::string, std::string> methods;
  for (const Batch& b : t.session.store.batches()) methods[b.name] = b.method;
  Rows rows;
  for (const std::string& name : order) {
    const Count& c = batches[name];
    rows.push_back({text("", "batch", name), text("", "use", c.use), text("", "by", methods[name]),
                    text("", "done", std::to_string(c.done)), text("", "failed", std::to_string(c.failed)),
                    text("", "to be run", std::to_string(c.left)),
                    text("", "set aside", std::to_string(c.aside))});
  }
  t.table("batches of runs", cells_of(rows));
}

void tell_failures(Telling& t) {
  if (std::none_of(t.runs.begin(), t.runs.end(), [](const Run& r) { return r.status == RunStatus::failed; }))
    return;
  const FailuresResult f = find_failures(t.session, t.options.level);
  t.part("Runs that failed");
  t.warn(fmt::format(
      "{} failed: {} of the runs that ended ({} at {:.0f} %). Surrogates know nothing of where runs fail.",
      count_of(f.failed, "run"), share_text(f.share), share_range(f.low, f.high), 100 * t.options.level));
  std::vector<std::string> reasons;
  for (const auto& reason : f.reasons)
    reasons.push_back(fmt::format("{}: {}", count_of(int(reason.runs.size()), "run"), reason.text));
  constexpr std::size_t most = 8;
  if (reasons.size() > most) reasons.resize(most);
  t.list(std::move(reasons));
  if (!f.sentence.empty()) t.say(f.sentence);
  DrawingOptions d;
  d.figure = "failures";
  t.picture(d, "Failed and done runs over the two parameters that separate them best.",
            f.sentence.empty() ? "where runs failed" : f.sentence);
}

void tell_set_aside(Telling& t) {
  std::vector<std::string> items;
  for (const Run& r : t.runs) {
    if (r.set_aside) items.push_back(fmt::format("run {}: {}", r.id, *r.set_aside));
    for (const auto& [response, why] : r.response_set_aside)
      items.push_back(fmt::format("run {}, {} alone: {}", r.id, response, why));
  }
  if (items.empty()) return;
  t.part("Set aside by hand");
  t.say("These are not fitted. Whoever reads this should agree with the reasons.");
  t.list(std::move(items));
}

}  // namespace

void tell_study(Telling& t) {
  t.section("The study");
  tell_parameters(t);
}

void tell_plan(Telling& t) {
  if (t.runs.empty()) return;
  t.section("The plan");
  tell_batches(t);
  if (const Found* plan = t.of("plan"); plan && text_in(plan->document, "use") == "fit") {
    const Kept& d = plan->document;
    std::string words = fmt::format("The last plan: {} of {}, seed {}.", text_in(d, "method"),
                                    count_of(int(part_of(d, "runs").size()), "run"),
                                    d.contains("seed") ? d["seed"].dump() : "–");
    if (const std::string why = text_in(d, "why"); !why.empty()) words += " Chosen because " + why + ".";
    t.say(words);
    const Kept& space = part_of(d, "space");
    const double nearest = number_in(space, "min_distance"),
                 correlation = number_in(space, "max_abs_correlation");
    if (nearest > 0)  // no replicates
      t.say(fmt::format("Its nearest two runs are {} apart in the unit cube; {}.", pretty(nearest, 3),
                        correlation > 1e-6 ? fmt::format("no two parameters are correlated by more than {}",
                                                         pretty(correlation, 2))
                                           : "no two parameters are correlated"));
  }
  if (const Found* assess = t.of("assess")) {
    t.part("How good it was before a run was paid for");
    t.tell_found(*assess);
  }
  DrawingOptions d;
  d.figure = "pairs";
  if (t.study().space.size() <= 6 && t.study().space.size() > 1)
    t.picture(d, "Where the runs lie, over every two parameters.",
              "the plan's projections on every two parameters");
}

void tell_runs(Telling& t) {
  if (t.runs.empty()) return;
  const bool ended =
      std::any_of(t.runs.begin(), t.runs.end(), [](const Run& r) { return r.status != RunStatus::planned; });
  if (!ended) return;
  t.section("The runs");
  const SolverSpec& solver = t.study().solver;
  switch (solver.kind) {
    case SolverSpec::Kind::formula:
      t.say("Computed by the formulas of the study file.");
      break;
    case SolverSpec::Kind::manual:
      t.say("Entered by hand or imported: no solver belongs to the study.");
      break;
    default:
      t.say("Computed by: " + as_typed(solver.command));
      break;
  }
  if (t.study().noisy) t.say("The same setting need not give the same values: runs scatter.");
  std::map<std::int64_t, int> makers;
  for (const Run& r : t.runs)
    if (r.maker > 0 && r.status == RunStatus::done) ++makers[r.maker];
  if (makers.size() > 1)
    t.warn(
        fmt::format("Done runs were computed by {} different commands, templates or formulas; renth run "
                    "--renew computes those of older ones again.",
                    makers.size()));
  tell_failures(t);
  tell_set_aside(t);
}

void tell_appendix(Telling& t) {
  t.section("Appendix");
  if (!t.runs.empty()) {
    t.part("All runs");
    constexpr std::size_t most = 500;
    RunsResult some{t.runs, {}};
    if (some.runs.size() > most) {
      some.runs.resize(most);
      t.say(fmt::format("The first {} of {}; renth runs --export runs.csv writes all.", most, t.runs.size()));
    }
    for (NamedTable& named : tables_of(t.study(), "runs", to_document(t.study(), some)))
      t.table(std::move(named.caption), std::move(named.cells));
  }
  t.part("The study file");
  t.report.blocks.push_back(Listing{read_whole_file(t.study().folder / "study.toml", "cannot be read", "")});
  std::string commands;
  for (const LoggedCommand& c : t.session.store.logged()) {
    // What only looks changes nothing: so the same study gives the same report.
    static const std::vector<std::string> looks = {"report", "explore", "draw", "export"};
    if (!c.words.empty() && std::find(looks.begin(), looks.end(), c.words.front()) != looks.end()) continue;
    std::vector<std::string> words = {"renth"};
    words.insert(words.end(), c.words.begin(), c.words.end());
    commands += as_typed(words) + "\n";
  }
  if (!commands.empty()) {
    t.part("What was done, as it can be typed again");
    t.report.blocks.push_back(Listing{commands});
  }
  t.say(fmt::format(
      "renth {}; the study's seed is {}. With the same seed every command gives the same numbers.",
      t.options.version, t.study().seed));
}

}  // namespace renth
