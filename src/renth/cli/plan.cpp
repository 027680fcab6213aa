#include <renth/cli/cli.hpp>
#include <renth/document/parts.hpp>
#include <renth/document/plan.hpp>
#include <renth/study/table_points.hpp>
#include <renth/workflow/planning.hpp>

namespace renth::cli {
namespace {

struct PlanOptions {
  PlanningOptions plan;
  std::string runs, at, candidates, order = "random", positional;
  std::vector<std::string> models;
  std::vector<std::pair<std::string, CLI::Option*>> given;
};

/// Adds options that only some methods take, and remembers which were given.
auto adder(CLI::App& app, PlanOptions& o) {
  return [&app, &o](const char* name, auto& target, const std::string& help) {
    CLI::Option* option = app.add_option(std::string("--") + name, target, help);
    o.given.emplace_back(name, option);
    return option;
  };
}

void declare_classical(CLI::App& app, PlanOptions& o) {
  PlanRequest& r = o.plan.request;
  const auto add = adder(app, o);
  add("resolution", r.resolution, "fractional-factorial: III, IV or V (default IV)");
  add("generators", r.generators, "fractional-factorial: instead, such as \"e=a*b*c,f=b*c*d\"");
  add("axial", r.axial,
      "central-composite: rotatable, face, orthogonal, spherical, inscribed or a coded distance (default "
      "rotatable; "
      "with blocks, what makes them orthogonal)");
  add("centre", r.centre,
      "runs at the centre (default: three to five; one in screening3; none at two levels)")
      ->check(CLI::Range(0, 1000));
  add("blocks", r.blocks,
      "central-composite, box-behnken: orthogonal blocks; optimal: blocks of one size (default 1)")
      ->check(CLI::Range(1, 1000));
  add("stage", r.stage, "central-composite: corners now, axial --of BATCH later");
  add("of", o.plan.of, "stage axial: the batch of the corners");
  add("levels", r.levels,
      "full-factorial: levels of each span (default 2); orthogonal-array: 2 or 3 (default 3)")
      ->check(CLI::Range(2, 1000));
  add("replicates", r.replicates, "factorials: runs at each point (default 1)")->check(CLI::Range(1, 1000));
  add("order", o.order, "classical and optimal plans: random within blocks (default) or standard")
      ->check(CLI::IsMember({"random", "standard"}));
  add("at", o.at, "scatter: the setting, such as radius=5,hull=steel (default: nominal)");
}

Eigen::MatrixXd candidates_of(const Study& study, const std::string& file) {
  Eigen::MatrixXd out = points_in_table(study, file, true);
  if (out.rows() == 0)
    throw Error("the table has no rows", file, "give it a row for each setting that can be run");
  return out;
}

/// The command of a range of runs for one number of them.
std::string of_that_size(std::vector<std::string> words, const std::string& range, int runs) {
  for (std::string& word : words)
    if (word == range || word == "--runs=" + range) {
      word.replace(word.size() - range.size(), range.size(), std::to_string(runs));
      break;
    }
  std::erase(words, "--json");
  return "renth " + as_typed(words);
}

int plan(PlanOptions& o, const Globals& globals) {
  PlanningOptions& p = o.plan;
  p.request.random_order = o.order == "random";
  p.request.model = fmt::format("{}", fmt::join(o.models, ";"));
  p.include = split(p.include);
  p.seed = globals.seed;
  for (const auto& [name, option] : o.given)
    if (option->count() > 0) p.given.push_back(name);
  if (!o.runs.empty()) std::tie(p.request.runs, p.request.runs_to) = parse_range(o.runs);
  if (!o.positional.empty()) {
    if (p.method != "extend")
      throw Error("\"" + o.positional + "\" is one word too many", "plan " + p.method, "renth plan --help");
    p.of = o.positional;
  }
  Session session(globals.study);
  if (!o.at.empty()) p.request.at = session.study.point(parse_settings(o.at, "--at"), "--at");
  if (!o.candidates.empty()) p.request.candidates = candidates_of(session.study, o.candidates);
  PlanResult result = plan_batch(session, p);
  if (result.sweep) result.next = of_that_size(globals.words, o.runs, result.sweep->suggested);
  return finish(globals, session, result, 0);
}

}  // namespace

std::function<int()> declare_plan(CLI::App& app, Globals& globals) {
  auto options = std::make_shared<PlanOptions>();
  PlanOptions& o = *options;
  PlanRequest& r = o.plan.request;
  std::string methods;
  for (const PlanMethod& m : plan_methods()) methods += fmt::format("\n  {}: {}", m.name, m.summary);
  app.add_option(
      "METHOD", o.plan.method,
      "how the points are chosen; without it one is chosen and the reason said" + methods +
          "\n  uncertain: where the fitted surrogates know least\n  extend BATCH: more runs for a batch");
  app.add_option("BATCH", o.positional, "of extend: the batch");
  const auto add = adder(app, o);
  add("runs", o.runs,
      "how many (default: a suggestion that is said); A..B sweeps optimal plans and stores nothing");
  app.add_option("--batch", o.plan.batch, "name of the batch (default: the next of fit-1, fit-2, …)");
  app.add_option("--use", o.plan.use, "fit, check (never fitted) or confirm (default fit)");
  add("criterion", r.criterion,
      "optimal: D, I, A or G (default D); latin-hypercube: maximin, discrepancy, projection (even in every "
      "two and three parameters) or none (default maximin)");
  add("model", o.models,
      "optimal: TERMS to be estimated (default quadratic); given several times, one of these models may hold "
      "and the plan is good for each")
      ->allow_extra_args(false);
  add("pure-error", r.pure_error,
      "optimal: so many of the runs repeat another, to measure the scatter (default 0)")
      ->check(CLI::Range(0, 1'000'000));
  add("whole-plots", r.whole_plots,
      "optimal, with hard = true parameters: how often those are set anew (default: four more than the terms "
      "that only this tells)")
      ->check(CLI::Range(1, 1'000'000));
  add("variance-ratio", r.variance_ratio,
      "optimal, with hard = true parameters: variance of setting them anew to that of a run (default 1)");
  add("effort", r.effort, "latin-hypercube: how long to search, times the usual (default 1)")
      ->check(CLI::Range(0.01, 1000.0));
  add("restarts", r.restarts, "optimal: independent starts (default 10)")->check(CLI::Range(1, 10'000));
  add("include", o.plan.include,
      "optimal: count the runs of these batches too; spread: keep away from them (default: all fit runs)");
  add("candidates", o.candidates, "optimal: a table of the only settings that can be run");
  declare_classical(app, o);
  app.add_flag("--dry-run", o.plan.dry_run, "show and assess, store nothing");
  return [options, &globals] { return plan(*options, globals); };
}

}  // namespace renth::cli
