#include <algorithm>
#include <renth/cli/cli.hpp>
#include <renth/document/confirm.hpp>

namespace renth::cli {

std::function<int()> declare_confirm(CLI::App& app, Globals& globals) {
  struct Options {
    ConfirmRequest request;
    std::vector<std::string> at;
  };
  auto o = std::make_shared<Options>();
  auto* proposals = app.add_option("--proposal", o->request.proposals,
                                   "proposals of the last seek: 1,2 or SCENARIO:1 (default: the best)")
                        ->delimiter(',');
  app.add_option("--at", o->at, "settings such as radius=5,hull=steel instead; the rest is nominal")
      ->excludes(proposals);
  app.add_option("--mark", o->request.marks, "settings kept by renth mark instead")->delimiter(',');
  app.add_option("--jobs", o->request.running.jobs, "solvers at once (default: as study.toml says)")
      ->check(CLI::Range(1, most_jobs));
  return [o, &globals] {
    for (const std::string& text : o->at) o->request.at.push_back(parse_settings(text, "--at"));
    o->request.level = globals.level;
    Session session(globals.study);
    ConfirmResult result;
    {
      RunControl control(globals);
      control.attach(o->request.running);
      result = confirm_settings(session, o->request);
    }
    const bool failed = std::any_of(result.proposals.begin(), result.proposals.end(),
                                    [](const auto& p) { return p.status == "failed"; });
    return finish(globals, session, result, failed ? 3 : result.missed ? 1 : 0);
  };
}

}  // namespace renth::cli
