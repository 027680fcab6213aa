#include <renth/cli/cli.hpp>
#include <renth/document/check.hpp>

namespace renth::cli {

std::function<int()> declare_check(CLI::App& app, Globals& globals) {
  auto output = std::make_shared<std::string>();
  app.add_option(
      "--output", *output,
      "try [solver] output on a saved output file of the solver, or on a folder like those under runs/");
  return [output, &globals] {
    Session session(globals.study);
    if (output->empty()) {
      print(globals, session.study, check_study(session));
      return 0;
    }
    const SampleCheck sample = check_sample(session.study, *output);
    print(globals, session.study, sample);
    return sample.problems.empty() ? 0 : 2;
  };
}

}  // namespace renth::cli
