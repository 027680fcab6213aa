// renth: parse, call the library, print. Exit status: 0 done, 1 the answer needs a human, 2 the request
// is wrong, 3 the solver failed for some run, 4 the store or the machine failed.
#include <renth/cli/cli.hpp>
#include <renth/numeric/parallel.hpp>

namespace {

using namespace renth;

void declare_globals(CLI::App& app, cli::Globals& globals) {
  app.set_version_flag("--version", "renth " RENTH_VERSION);
  app.require_subcommand(1);
  app.fallthrough();
  app.option_defaults()->always_capture_default(false);
  app.add_option("-s,--study", globals.study, "the study's folder (default: this one)");
  app.add_flag("--json", globals.json, "print one JSON document instead of tables");
  app.add_flag("-q,--quiet", globals.quiet, "no progress on standard error");
  app.add_option("--seed", globals.seed, "seed instead of the study's");
  app.add_option("--threads", globals.threads, "threads (default: as many as cores); never changes a result")
      ->check(CLI::Range(1, 1024));
  app.add_option("--level", globals.level, "level of intervals (default 0.95)")
      ->check(CLI::Range(0.5, 0.9999));
}

void complain(const std::string& text) {
  std::fprintf(stderr, "renth: %s\n", text.c_str());
}

/// What a verb does, its errors told. \returns  the exit status.
int carry_out(const std::function<int()>& action, int threads) {
  try {
    const ParallelLimit limit(threads);
    const int status = action();
    if (std::fflush(stdout) != 0 || std::ferror(stdout) != 0)
      throw Error("cannot write the result", "standard output", "is the disk full?", ErrorKind::machine);
    return status;
  } catch (const StudyError& e) {
    for (const std::string& line : e.lines()) complain(line);
    return 2;
  } catch (const Error& e) {
    complain(e.what());
    return static_cast<int>(e.kind());
  } catch (const std::bad_alloc&) {
    complain("there is not enough memory: this machine: use fewer runs or points");
    return 4;
  } catch (const std::exception& e) {
    complain(fmt::format("something failed that should not: {}: please report it", e.what()));
    return 4;
  }
}

}  // namespace

int main(int argc, char** argv) {
  cli::Globals globals;
  CLI::App app(
      "Renth samples a solver's parameter space, fits surrogates, says how far to trust them, and acts on "
      "them.",
      "renth");
  declare_globals(app, globals);
  std::vector<std::pair<CLI::App*, std::function<int()>>> actions;
  for (const cli::Verb& verb : cli::verbs()) {
    CLI::App* sub = app.add_subcommand(verb.name, verb.summary);
    actions.emplace_back(sub, verb.declare(*sub, globals));
  }
  try {
    app.parse(argc, argv);
  } catch (const CLI::Success& e) {
    return app.exit(e);
  } catch (const CLI::ParseError& e) {
    std::fprintf(stderr, "renth: %s: command line: renth --help, or renth VERB --help\n", e.what());
    return 2;
  }
  for (const auto& [sub, action] : actions)
    if (sub->parsed()) return carry_out(action, globals.threads);
  return 2;
}
