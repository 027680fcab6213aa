#include <renth/cli/cli.hpp>
#include <renth/document/parts.hpp>
#include <renth/workflow/listing.hpp>

namespace renth::cli {
namespace {

std::function<int()> declare_aside(CLI::App& app, Globals& globals, bool aside) {
  struct Options {
    std::vector<std::int64_t> ids;
    std::string why, response;
  };
  auto o = std::make_shared<Options>();
  app.add_option("ID", o->ids, "numbers of the runs")->required()->delimiter(',');
  if (aside) app.add_option("--why", o->why, "the reason; kept and shown")->required();
  app.add_option("--response", o->response, "only for this response (default: altogether)");
  return [o, aside, &globals] {
    Session session(globals.study);
    set_runs_aside(session, o->ids, o->response, aside ? std::optional(o->why) : std::nullopt);
    if (globals.json)
      print_document(Json{{aside ? "set_aside" : "restored", o->ids}, {"notes", Json::array()}});
    else
      print_table(globals, fmt::format("{} {}.\n{}", aside ? "Set aside" : "Restored",
                                       count_of(int(o->ids.size()), "run"), next_step("renth fit")));
    log(globals, session);
    return 0;
  };
}

}  // namespace

std::function<int()> declare_set_aside(CLI::App& app, Globals& globals) {
  return declare_aside(app, globals, true);
}
std::function<int()> declare_restore(CLI::App& app, Globals& globals) {
  return declare_aside(app, globals, false);
}

}  // namespace renth::cli
