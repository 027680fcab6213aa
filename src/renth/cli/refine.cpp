#include <unistd.h>

#include <charconv>
#include <renth/cli/cli.hpp>
#include <renth/document/refine.hpp>

namespace renth::cli {
namespace {

struct RefineAsked {
  RefiningOptions refine;
  std::vector<std::string> until;
  std::string level;
};

void read_targets(const std::vector<std::string>& until, const Study& study, RefiningOptions& refining) {
  for (const std::string& text : until) {
    if (text.find('=') != std::string::npos) {
      refining.until.insert(parse_pair(text, "--until"));
      continue;
    }
    double target = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), target);
    if (error != std::errc() || end != text.data() + text.size())
      throw Error("\"" + text + "\" is not a target", "--until", "write R=0.95, or 0.95 for all responses");
    for (const Response& response : study.responses)
      if (!response.derive) refining.until.emplace(response.name, target);
  }
  for (const auto& [name, target] : refining.until)
    if (!(target > 0 && target < 1))
      throw Error(fmt::format("Q² of {} cannot be {}", name, target), "--until",
                  "name a number between 0 and 1");
}

int refine_study(RefineAsked& o, const Globals& globals) {
  RefiningOptions& refining = o.refine;
  Session session(globals.study);
  refining.seed = globals.seed;
  read_targets(split(o.until), session.study, refining);
  if (!o.level.empty()) std::tie(refining.level_response, refining.level) = parse_pair(o.level, "--level-of");
  RefineResult result;
  {
    RunControl control(globals, session.study.solver.kind == SolverSpec::Kind::slurm);
    control.attach(refining.running);
    refining.report = [&](const RefineRound& round) {
      if (!globals.quiet) print_aside(round.says + "\n");
    };
    result = refine(session, refining);
  }
  return finish(globals, session, result, result.failed > 0 ? 3 : result.reached ? 0 : 1);
}

}  // namespace

std::function<int()> declare_refine(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<RefineAsked>();
  RefiningOptions& r = o->refine;
  app.add_option("--until", o->until,
                 "Q² wanted, as R=0.95 or 0.95 for all; may be repeated (default: 0.95 for all responses)");
  app.add_option("--until-error", r.until_error,
                 "half-width of the prediction interval at the best setting, in per cent, that is wanted")
      ->check(CLI::PositiveNumber);
  app.add_option("--budget", r.budget, "runs in all (default: half of what plan suggests)")
      ->check(CLI::Range(1, 1'000'000));
  app.add_option("--batch-size", r.batch, "runs a round (default: a tenth of what plan suggests, at least 4)")
      ->check(CLI::Range(1, 100'000));
  app.add_option("--strategy", r.strategy,
                 "uncertain: where the surrogates know least; level: where a response crosses a value; best: "
                 "where the goals are likely to be bettered (default: what the other options imply, else "
                 "uncertain)")
      ->check(CLI::IsMember(refine_strategies));
  app.add_option("--level-of", o->level, "strategy level: R=V, such as power=40");
  app.add_option("--feasible", r.feasible,
                 "only where a run succeeds at least with this probability, learned from those that failed "
                 "(default 0.5; 0: everywhere)")
      ->check(CLI::Range(0.0, 1.0));
  app.add_option("--kind", r.fitting.kind, "the kind of surrogate (default: chosen anew each round)");
  app.add_option("--jobs", r.running.jobs, "solvers at once (default: as study.toml says)")
      ->check(CLI::Range(1, 4096));
  return [o, &globals] { return refine_study(*o, globals); };
}

}  // namespace renth::cli
