#include <algorithm>
#include <boost/version.hpp>
#include <limits>
#include <renth/base/names.hpp>
#include <renth/cli/built_by.hpp>
#include <renth/cli/cli.hpp>
#include <renth/document/wording.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/report/page_template.hpp>
#include <renth/table/module.hpp>
#include <renth/version.hpp>

namespace renth::cli {
namespace {

void declare_globals(CLI::App& app, Globals& globals) {
  app.set_version_flag("--version", std::string("renth ") + version);
  app.require_subcommand(1);
  app.fallthrough();
  app.option_defaults()->always_capture_default(false);
  app.add_option("-s,--study", globals.study, "the study's folder (default: this one)");
  app.add_flag("--json", globals.json, "print one JSON document instead of tables");
  app.add_flag("-q,--quiet", globals.quiet, "no progress on standard error");
  app.add_option("--seed", globals.seed, "seed instead of the study's")
      ->check(CLI::Range(std::uint64_t(0), std::uint64_t(std::numeric_limits<std::int64_t>::max())));
  app.add_option("--threads", globals.threads, "threads (default: as many as cores); never changes a result")
      ->check(CLI::Range(1, 1024));
  app.add_option("--level", globals.level, "level of intervals (default 0.95)")
      ->check(CLI::Range(0.5, 0.9999));
}

/// What this renth is and was built with.
Json built_with() {
  return {
      {"version", version},
      {"compiler", built_by().compiler},
      {"build", built_by().optimisation},
      {"libraries",
       {{"eigen", fmt::format("{}.{}.{}", EIGEN_WORLD_VERSION, EIGEN_MAJOR_VERSION, EIGEN_MINOR_VERSION)},
        {"boost", BOOST_LIB_VERSION},
        {"fmt", fmt::format("{}.{}.{}", FMT_VERSION / 10000, FMT_VERSION / 100 % 100, FMT_VERSION % 100)}}},
      {"page", has_module(page_template_file)},
      {"server", has_module("renth-server.so")},
      {"spreadsheets", has_module("renth-sheets.so")},
      {"notes", Json::array()}};
}

/// Says what is wrong on standard error, and with --json in one document on standard output.
int complain(const std::vector<Error>& all, bool json) {
  for (const Error& e : all) print_trouble(in_options(e.what()));
  if (json) {
    Json document = error_document(all.front());
    if (all.size() > 1)  // all that is wrong with a file
      for (const Error& e : all) document["errors"].push_back(error_entry(e));
    print_document(document);
    std::fflush(stdout);
  }
  return static_cast<int>(all.front().kind());
}

std::vector<Error> errors_of(const StudyError& e) {
  std::vector<Error> out;
  for (const StudyFault& f : e.faults()) out.emplace_back(f.text, e.place_of(f), f.remedy);
  return out;
}

/// What a verb does, its errors told. \returns  the exit status.
int carry_out(const std::function<int()>& action, const Globals& globals) {
  const bool json = globals.json;
  try {
    const ParallelLimit limit(globals.threads);
    const int status = action();
    if (std::fflush(stdout) != 0 || std::ferror(stdout) != 0)
      throw Error("cannot write the result", "standard output", "is the disk full?", ErrorKind::machine);
    return status;
  } catch (const StudyError& e) {
    return complain(errors_of(e), json);
  } catch (const Error& e) {
    return complain({e}, json);
  } catch (const std::bad_alloc&) {
    return complain(
        {{"there is not enough memory", "this machine", "use fewer runs or points", ErrorKind::machine}},
        json);
  } catch (const std::exception& e) {
    return complain({{fmt::format("something failed that should not: {}", e.what()), "", "please report it",
                      ErrorKind::machine}},
                    json);
  }
}

std::vector<std::string> verb_names() {
  std::vector<std::string> out = {"help"};
  for (const Verb& verb : verbs()) out.emplace_back(verb.name);  // hidden ones too
  return out;
}

/// The first word that is neither an option nor the value of one.
std::string verb_asked(const std::vector<std::string>& words) {
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (words[i].empty() || words[i][0] != '-') return words[i];
    constexpr std::string_view with_value[] = {"-s", "--study", "--seed", "--threads", "--level"};
    if (std::find(std::begin(with_value), std::end(with_value), words[i]) != std::end(with_value)) ++i;
  }
  return "";
}

/// A verb that does not exist is that, whatever came after it.
void refuse_unknown_verb(const std::string& verb) {
  const std::vector<std::string> known = verb_names();
  if (!verb.empty() && std::find(known.begin(), known.end(), verb) == known.end())
    refuse_unknown("verb", verb, "command line", known);
}

/// `renth help`, `renth help VERB`.
void print_help(CLI::App& app, const std::string& verb) {
  refuse_unknown_verb(verb);
  const bool one = !verb.empty() && verb != "help";
  std::fputs((one ? app.get_subcommand(verb)->help("renth") : app.help()).c_str(), stdout);
}

}  // namespace

int run(const std::vector<std::string>& words) {
  Globals globals;
  globals.words = words;
  CLI::App app(
      "Renth samples a solver's parameter space, fits surrogates, says how far to trust them, and acts on "
      "them.",
      "renth");
  declare_globals(app, globals);
  std::vector<std::pair<CLI::App*, std::function<int()>>> actions;
  for (const Verb& verb : verbs()) {
    CLI::App* sub = app.add_subcommand(verb.name, verb.summary);
    actions.emplace_back(sub, verb.declare(*sub, globals));
    const std::vector<std::string>& with_tables = verbs_with_tables();
    if (std::find(with_tables.begin(), with_tables.end(), verb.name) != with_tables.end())
      sub->add_option_function<std::string>(
          "--format",
          [&globals](const std::string& form) { globals.form = table_form_words.value(form, "--format"); },
          "print the tables as md, latex or csv (default: table)");
  }
  const bool json = std::find(globals.words.begin(), globals.words.end(), "--json") != globals.words.end();
  const std::string asked = verb_asked(globals.words);
  try {
    if (asked == "help") {
      const auto at = std::find(globals.words.begin(), globals.words.end(), asked);
      print_help(app, verb_asked({at + 1, globals.words.end()}));
      return 0;
    }
    refuse_unknown_verb(asked);
    app.parse(std::vector<std::string>(words.rbegin(), words.rend()));  // it takes the last one first
  } catch (const CLI::CallForVersion& e) {
    if (!json) return app.exit(e);
    print_document(built_with());
    return 0;
  } catch (const CLI::Success& e) {
    return app.exit(e);
  } catch (const Error& e) {
    return complain({e}, json);
  } catch (const CLI::ParseError& e) {
    return complain({{e.what(), "command line", "renth --help, or renth VERB --help"}}, json);
  }
  for (const auto& [sub, action] : actions)
    if (sub->parsed()) {
      globals.verb = sub->get_name();
      return carry_out(action, globals);
    }
  return 2;
}

}  // namespace renth::cli
