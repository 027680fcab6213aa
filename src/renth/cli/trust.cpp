#include <algorithm>
#include <renth/cli/cli.hpp>
#include <renth/document/trust.hpp>
#include <renth/workflow/trusting.hpp>

namespace renth::cli {

std::function<int()> declare_trust(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<TrustOptions>();
  auto learning = std::make_shared<bool>(false);
  app.add_option("--response", o->responses, "only these responses (default: all)");
  app.add_flag("--learning", *learning,
               "how many more runs would help, also for more than 150 runs, where it takes a while");
  app.add_option("--target", o->target, "Q² that more runs should reach (default 0.95)")
      ->check(CLI::Range(0.0, 1.0));
  app.add_option(
      "--against", o->against,
      "compare with the fit kept by this name (fit --as NAME); `last` is the one before the current");
  return [o, learning, &globals] {
    Session session(globals.study);
    o->responses = split(o->responses);
    o->level = globals.level;
    if (*learning) o->learning = TrustOptions::Learning::always;
    const TrustResult result = trust_responses(session, *o);
    const bool unfit = std::any_of(result.responses.begin(), result.responses.end(),
                                   [](const auto& r) { return r.model.judgement.verdict == Verdict::unfit; });
    return finish(globals, session, result, unfit ? 1 : 0);
  };
}

}  // namespace renth::cli
