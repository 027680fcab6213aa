#include <renth/cli/cli.hpp>
#include <renth/document/log.hpp>
#include <renth/workflow/logging.hpp>

namespace renth::cli {

std::function<int()> declare_log(CLI::App&, Globals& globals) {
  return [&globals] {
    Session session(globals.study);
    print(globals, session.study, log_of(session));
    return 0;
  };
}

}  // namespace renth::cli
