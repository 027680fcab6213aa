#include <renth/cli/cli.hpp>

namespace renth::cli {

std::function<int()> declare_discard(CLI::App& app, Globals& globals) {
  auto batch = std::make_shared<std::string>();
  app.add_option("BATCH", *batch, "the batch")->required();
  return [batch, &globals] {
    Session session(globals.study);
    const int removed = session.store.discard(*batch);
    if (globals.json)
      print_document(Json{{"batch", *batch}, {"removed", removed}, {"notes", Json::array()}});
    else
      print("Removed {} planned runs of {}; runs that exist stay.\n", removed, *batch);
    log(globals, session);
    return 0;
  };
}

}  // namespace renth::cli
