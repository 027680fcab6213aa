#include <renth/cli/cli.hpp>
#include <renth/document/run.hpp>

namespace renth::cli {

std::function<int()> declare_run(CLI::App& app, Globals& globals) {
  struct Options {
    RunningOptions run;
    bool collect = false, no_wait = false;
  };
  auto o = std::make_shared<Options>();
  RunningOptions& r = o->run;
  app.add_option("--batch", r.batch, "only this batch (default: all)");
  app.add_option("--jobs", r.jobs, "solvers at once (default: as study.toml says)")
      ->check(CLI::Range(1, most_jobs));
  app.add_option("--only", r.only, "only these runs, by number")->delimiter(',');
  app.add_flag("--retry-failed", r.retry_failed,
               "run failed runs again; with per, also axis points that are missing");
  app.add_flag(
      "--renew", r.renew,
      "compute again, as new runs, what was computed by another formula, command, template or output "
      "source than today's; the older runs are set aside");
  app.add_flag("--put-back", r.put_back, "plan again what another machine was computing: it is lost");
  auto* dry = app.add_flag("--dry-run", r.dry_run, "show the inputs and the command; run nothing");
  auto* collect =
      app.add_flag("--collect", o->collect, "slurm: take what has ended, submit nothing, do not wait");
  auto* no_wait = app.add_flag("--no-wait", o->no_wait, "slurm: submit and leave");
  app.add_flag("--cancel", r.cancel, "slurm: end what the cluster has of this study")
      ->excludes(collect)
      ->excludes(no_wait)
      ->excludes(dry);
  return [o, &globals] {
    RunningOptions& run = o->run;
    run.submit = !o->collect;
    run.wait = !o->collect && !o->no_wait;
    Session session(globals.study);
    if (run.dry_run) {
      print(globals, session.study, dry_run(session, run));
      return 0;
    }
    RunSummary summary;
    {
      RunControl control(globals, session.study.solver.kind == SolverSpec::Kind::slurm);
      control.attach(run);
      summary = run_batches(session, run);
    }
    const bool failed = summary.failed > 0 || summary.partial > 0;
    const bool unfinished = summary.stopped || (summary.left > 0 && run.wait);
    return finish(globals, session, summary, failed ? 3 : unfinished ? 1 : 0);
  };
}

}  // namespace renth::cli
