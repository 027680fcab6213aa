#include <renth/cli/cli.hpp>
#include <renth/document/rank.hpp>

namespace renth::cli {

std::function<int()> declare_rank(CLI::App& app, Globals& globals) {
  struct Options {
    std::vector<std::string> responses;
    RankOptions rank;
  };
  auto o = std::make_shared<Options>();
  app.add_option("--response", o->responses, "only these responses (default: all)");
  app.add_option("--samples", o->rank.samples,
                 "base points of each of eight samples, a power of two (default 1024)")
      ->check(CLI::Range(64, 1 << 20));
  return [o, &globals] {
    o->rank.level = globals.level;
    Session session(globals.study);
    const RankResult result = rank_responses(session, split(o->responses), o->rank, globals.seed);
    return finish(globals, session, result, status_of(result.notes));
  };
}

}  // namespace renth::cli
