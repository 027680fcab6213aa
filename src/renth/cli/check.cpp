#include <renth/cli/cli.hpp>
#include <renth/workflow/checking.hpp>

namespace renth::cli {

std::function<int()> declare_check(CLI::App&, Globals& globals) {
  return [&globals] {
    Session session(globals.study);
    print(globals, session.study, check_study(session));
    return 0;
  };
}

}  // namespace renth::cli
