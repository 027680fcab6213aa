#include <renth/cli/cli.hpp>
#include <renth/workflow/planning.hpp>

namespace renth::cli {

std::function<int()> declare_plan(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<PlanningOptions>();
  auto order = std::make_shared<std::string>("random");
  std::string methods;
  for (const PlanMethod& m : plan_methods()) methods += fmt::format("\n  {}: {}", m.name, m.summary);
  app.add_option("METHOD", o->method,
                 "how the points are chosen; without it one is chosen and the reason said" + methods);
  app.add_option("--runs", o->request.runs, "how many (default: a suggestion that is said)")
      ->check(CLI::Range(1, 1'000'000));
  app.add_option("--batch", o->batch, "name of the batch (default: the next of fit-1, fit-2, …)");
  app.add_option("--use", o->use, "fit, check (never fitted) or confirm (default fit)");
  app.add_option("--criterion", o->request.criterion, "of a Latin hypercube: maximin (default) or none");
  app.add_option("--levels", o->request.levels, "of a full factorial: levels of each span (default 2)")
      ->check(CLI::Range(2, 1000));
  app.add_option("--replicates", o->request.replicates, "of a full factorial: runs at each point (default 1)")
      ->check(CLI::Range(1, 1000));
  app.add_option("--order", *order, "of a full factorial: random (default) or standard")
      ->check(CLI::IsMember({"random", "standard"}));
  app.add_flag("--dry-run", o->dry_run, "show and assess, store nothing");
  return [o, order, &globals] {
    o->request.random_order = *order == "random";
    o->seed = globals.seed;
    Session session(globals.study);
    print(globals, session.study, plan_batch(session, *o));
    return 0;
  };
}

std::function<int()> declare_discard(CLI::App& app, Globals& globals) {
  auto batch = std::make_shared<std::string>();
  app.add_option("BATCH", *batch, "the batch")->required();
  return [batch, &globals] {
    Session session(globals.study);
    const int removed = session.store.discard(*batch);
    if (globals.json)
      fmt::print("{}\n", Json{{"batch", *batch}, {"removed", removed}, {"notes", Json::array()}}.dump(1));
    else
      fmt::print("Removed {} planned runs of {}; runs that exist stay.\n", removed, *batch);
    return 0;
  };
}

}  // namespace renth::cli
