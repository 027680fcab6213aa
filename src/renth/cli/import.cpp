#include <renth/cli/cli.hpp>
#include <renth/document/import.hpp>
#include <renth/workflow/importing.hpp>

namespace renth::cli {
namespace {

struct ImportAsked {
  std::string file;
  std::vector<std::string> map;
  ImportOptions import;
};

int import_runs(ImportAsked& o, const Globals& globals) {
  for (const std::string& entry : o.map) {
    const std::size_t equals = entry.rfind('=');
    if (equals == std::string::npos || equals == 0)
      throw Error("\"" + entry + "\" maps nothing", "--map", "write \"Column=name\"");
    o.import.map[entry.substr(0, equals)] = entry.substr(equals + 1);
  }
  Session session(globals.study);
  const ImportResult r = import_table(session, o.file, o.import);
  return finish(globals, session, r, r.refused.empty() ? 0 : 1);
}

}  // namespace

std::function<int()> declare_import(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<ImportAsked>();
  app.add_option("FILE", o->file,
                 "a table separated by commas, semicolons, tabs, bars or blanks, or JSON of runs")
      ->required();
  app.add_option("--map", o->map, "\"Column (mm)=name\": what a column is in the study");
  app.add_option(
      "--batch", o->import.batch,
      "batch of rows that match no run (default: as the file says, else the next of imported-1, …)");
  app.add_option("--use", o->import.use, "use of that batch: fit (default), check or confirm")
      ->check(CLI::IsMember(batch_uses));
  app.add_option("--tolerance", o->import.tolerance,
                 "how far a row may be from a planned run to be that run, in spans (default: 1e-6, and rows "
                 "within 0.005 are refused)")
      ->check(CLI::Range(0.0, 0.5));
  app.add_flag("--partial", o->import.partial, "import the good rows though others are refused");
  app.add_flag("--ignore-units", o->import.ignore_units,
               "take values as they are, whatever unit the file names");
  return [o, &globals] { return import_runs(*o, globals); };
}

}  // namespace renth::cli
