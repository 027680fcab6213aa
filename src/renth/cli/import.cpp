#include <renth/cli/cli.hpp>
#include <renth/document/import.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/taking_in.hpp>

namespace renth::cli {
namespace {

struct ImportAsked {
  std::string file;
  std::vector<std::string> map;
  ImportOptions import;
};

int import_runs(ImportAsked& o, const Globals& globals) {
  namespace fs = std::filesystem;
  const fs::path own = fs::path(globals.study) / "runs";
  if (fs::is_directory(o.file) || (o.file == "runs" && fs::is_directory(own))) {
    std::error_code error;
    if (o.file != "runs" && !fs::equivalent(o.file, own, error))
      throw Error("the folder is not that of the study's runs", o.file,
                  fmt::format("name a table, or {} to take in what was computed there", own.string()));
    Session session(globals.study, Store::Opening::taking_in);
    return finish(globals, session, take_in_runs(session), 0);
  }
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
                 "a table separated by commas, semicolons, tabs, bars or blanks, the first sheet of an "
                 ".xlsx, JSON of runs, or - "
                 "for standard input; or runs, the "
                 "folder of the study's own runs, after study.db was lost")
      ->required();
  app.add_option("--sheet", o->import.sheet, "of a spreadsheet: another than the first");
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
  app.add_flag("--repeats", o->import.repeats,
               "add rows that all equal runs that are there: they are repeats, not the same table again");
  app.add_flag("--ignore-units", o->import.ignore_units,
               "take values as they are, whatever unit the file names");
  return [o, &globals] { return import_runs(*o, globals); };
}

}  // namespace renth::cli
