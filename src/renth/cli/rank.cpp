#include <renth/cli/cli.hpp>
#include <renth/document/rank.hpp>

namespace renth::cli {
namespace {

std::string methods_in_words() {
  std::string out = "how; without one shares where a surrogate exists, else effects.";
  for (const RankMethod& m : rank_methods()) out += "\n" + m.name + ": " + m.summary;
  return out;
}

}  // namespace

std::function<int()> declare_rank(CLI::App& app, Globals& globals) {
  struct Options {
    std::vector<std::string> responses;
    std::string at;
    RankAsked asked;
    double screen = 0;
  };
  auto o = std::make_shared<Options>();
  app.add_option("method", o->asked.method, methods_in_words());
  app.add_option("--response", o->responses, "only these responses (default: all)");
  auto* at = app.add_option(
      "--at", o->at,
      "of local and --under-scatter: settings such as radius=5,hull=steel; the rest is nominal");
  auto* screen =
      app.add_option("--screen", o->screen,
                     "say what may be fixed at this share of the variance, and what Q² is left without it")
          ->check(CLI::Range(0.0, 1.0));
  app.add_flag("--under-scatter", o->asked.under_scatter,
               "beside it, shares of the spread that production makes of a setting (--at; default nominal)");
  app.add_option("--samples", o->asked.options.samples,
                 "base points of each of eight samples, a power of two (default 1024)")
      ->check(CLI::Range(64, 1 << 20));
  return [o, at, screen, &globals] {
    RankAsked asked = o->asked;
    asked.responses = split(o->responses);
    asked.options.level = globals.level;
    asked.seed = globals.seed;
    Session session(globals.study);
    if (*at) {
      if (asked.method != "local" && !asked.under_scatter)
        throw Error("only local and --under-scatter look at one setting", "--at",
                    "renth rank local --at " + o->at);
      asked.at = session.study.point(parse_settings(o->at, "--at"), "--at");
    }
    if (*screen) asked.screen = o->screen;
    const RankResult result = rank_responses(session, asked);
    return finish(globals, session, result, status_of(result.notes));
  };
}

}  // namespace renth::cli
