#include <renth/cli/cli.hpp>
#include <renth/document/extremes.hpp>

namespace renth::cli {

std::function<int()> declare_extremes(CLI::App& app, Globals& globals) {
  auto responses = std::make_shared<std::vector<std::string>>();
  app.add_option("--response", *responses, "only these responses (default: all numbers)");
  return [responses, &globals] {
    Session session(globals.study);
    const ExtremesResult result = extremes_of_responses(session, split(*responses), globals.seed);
    return finish(globals, session, result, status_of(result.notes));
  };
}

}  // namespace renth::cli
