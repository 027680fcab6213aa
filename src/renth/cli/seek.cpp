#include <charconv>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/cli/cli.hpp>
#include <renth/document/seek.hpp>
#include <renth/workflow/seek_refining.hpp>

namespace renth::cli {

namespace {

/// "5%", or a number.
Loss parse_loss(const std::string& text) {
  const bool share = text.ends_with('%');
  const std::string number = share ? text.substr(0, text.size() - 1) : text;
  double amount = 0;
  const auto [end, error] = std::from_chars(number.data(), number.data() + number.size(), amount);
  if (error != std::errc() || end != number.data() + number.size() || !std::isfinite(amount))
    throw Error(text + " is no loss", "--loss", "give 5%, or a number in the response's unit");
  return {share ? amount / 100 : amount, share};
}

}  // namespace

std::function<int()> declare_seek(CLI::App& app, Globals& globals) {
  struct Options {
    SeekRequest request;
    std::vector<std::string> target, weight, hold;
    std::string loss;
    SeekRefineOptions refine{.budget = 0};
  };
  auto o = std::make_shared<Options>();
  SeekRequest& r = o->request;
  app.add_option("--scenario", r.scenarios,
                 "goals, conditions and holds of scenarios of study.toml; several are set side by side");
  app.add_option("--maximise", r.maximise,
                 "responses to make large; goals given here replace those of the file");
  app.add_option("--minimise", r.minimise, "responses to make small");
  app.add_option("--target", o->target, "R=V: a response to bring to a value");
  app.add_option("--keep", r.keep, "\"R<=V\": a condition on responses and parameters that must hold");
  app.add_option("--hold", o->hold, "p=v: settings that stay");
  app.add_option("--weight", o->weight, "R=W: importance among the goals (default 1, or as study.toml says)");
  app.add_option("--probability", r.probability,
                 "limits on responses must hold with this probability, not only by the mean (0.95)");
  app.add_option(
      "--loss", o->loss,
      "what the region as good as the best may lose: 5% of it, or a number in its unit (default: what is "
      "not significant)");
  app.add_option("--then-minimise", r.then_minimise,
                 "of the settings as good as the best, those with the least of this");
  app.add_option("--then-maximise", r.then_maximise, "the same, with the most");
  app.add_flag("--front", r.front,
               "the trade-off: settings of which none is better in every goal (two to five)");
  app.add_option("--points", r.front_points, "how many settings of the front (default 50)")
      ->check(CLI::Range(3, 500));
  app.add_option(
         "--refine", o->refine.budget,
         "run the best setting on the solver, fit again and seek again until it holds, with at most so many "
         "runs; a study without runs is planned, run and fitted first")
      ->check(CLI::Range(1, 1000));
  app.add_option("--within", o->refine.within_percent,
                 "of --refine: per cent that goals may miss by (default 2)")
      ->check(CLI::PositiveNumber);
  app.add_option("--jobs", o->refine.running.jobs,
                 "of --refine: solvers at once (default: as study.toml says)")
      ->check(CLI::Range(1, most_jobs));
  app.add_flag(
      "--robust", r.robust,
      "the scatter of the settings is part of the goal: with accept limits the yield comes first, else "
      "each goal is its mean made worse by its spread");
  app.add_flag("--allow-failing", r.allow_failing,
               "propose also where the solver is likely to fail, as learned from the runs that failed");
  app.add_option("--proposals", r.proposals, "how many settings to propose (default 3)")
      ->check(CLI::Range(1, 12));
  return [o, &globals] {
    SeekRequest& request = o->request;
    request.scenarios = split(request.scenarios);
    request.maximise = split(request.maximise);
    request.minimise = split(request.minimise);
    for (const std::string& t : split(o->target)) request.target.push_back(parse_pair(t, "--target"));
    for (const std::string& w : split(o->weight)) request.weight.push_back(parse_pair(w, "--weight"));
    for (const std::string& h : o->hold)
      for (const auto& [key, value] : parse_settings(h, "--hold")) request.hold[key] = value;
    if (!o->loss.empty()) request.loss = parse_loss(o->loss);
    request.seed = globals.seed;
    request.level = globals.level;
    Session session(globals.study);
    if (o->refine.budget > 0) {
      SeekAnswer result;
      {
        RunControl control(globals, session.study.solver.kind == SolverSpec::Kind::slurm);
        control.attach(o->refine.running);
        o->refine.report = [&](const std::string& line) {
          if (!globals.quiet) print_aside(line + "\n");
        };
        result = seek_and_refine(session, request, o->refine);
      }
      return finish(globals, session, result, status_of(result.notes));
    }
    const SeekAnswer result = seek_settings(session, request);
    return finish(globals, session, result, status_of(result.notes));
  };
}

}  // namespace renth::cli
