#include <renth/cli/cli.hpp>

namespace renth::cli {

std::function<int()> declare_run(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<RunningOptions>();
  app.add_option("--batch", o->batch, "only this batch (default: all)");
  app.add_option("--jobs", o->jobs, "solvers at once (default: as study.toml says)")
      ->check(CLI::Range(1, 4096));
  app.add_option("--only", o->only, "only these runs, by number")->delimiter(',');
  app.add_flag("--retry-failed", o->retry_failed, "run failed runs again");
  return [o, &globals] {
    Session session(globals.study);
    RunSummary summary;
    {
      RunControl control(globals);
      control.attach(*o);
      summary = run_batches(session, *o);
    }
    print(globals, session.study, summary);
    return summary.failed > 0 ? 3 : summary.stopped || summary.left > 0 ? 1 : 0;
  };
}

}  // namespace renth::cli
