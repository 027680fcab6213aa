#include <renth/cli/cli.hpp>
#include <renth/document/seek.hpp>

namespace renth::cli {

std::function<int()> declare_seek(CLI::App& app, Globals& globals) {
  struct Options {
    SeekRequest request;
    std::vector<std::string> target, weight, hold;
  };
  auto o = std::make_shared<Options>();
  SeekRequest& r = o->request;
  app.add_option("--scenario", r.scenario, "goals, conditions and holds of this scenario of study.toml");
  app.add_option("--maximise", r.maximise,
                 "responses to make large; goals given here replace those of the file");
  app.add_option("--minimise", r.minimise, "responses to make small");
  app.add_option("--target", o->target, "R=V: a response to bring to a value");
  app.add_option("--keep", r.keep, "\"R<=V\": a condition on responses and parameters that must hold");
  app.add_option("--hold", o->hold, "p=v: settings that stay");
  app.add_option("--weight", o->weight, "R=W: importance among the goals (default 1, or as study.toml says)");
  app.add_flag("--allow-failing", r.allow_failing,
               "propose also where the solver is likely to fail, as learned from the runs that failed");
  app.add_option("--proposals", r.proposals, "how many settings to propose (default 3)")
      ->check(CLI::Range(1, 12));
  return [o, &globals] {
    SeekRequest& request = o->request;
    request.maximise = split(request.maximise);
    request.minimise = split(request.minimise);
    for (const std::string& t : split(o->target)) request.target.push_back(parse_pair(t, "--target"));
    for (const std::string& w : split(o->weight)) request.weight.push_back(parse_pair(w, "--weight"));
    for (const std::string& h : o->hold)
      for (const auto& [key, value] : parse_settings(h, "--hold")) request.hold[key] = value;
    request.seed = globals.seed;
    request.level = globals.level;
    Session session(globals.study);
    const SeekOutcome result = seek_settings(session, request);
    return finish(globals, session, result, status_of(result.notes));
  };
}

}  // namespace renth::cli
