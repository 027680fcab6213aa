#include <renth/cli/cli.hpp>
#include <renth/document/failures.hpp>
#include <renth/document/runs.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/importing.hpp>

namespace renth::cli {

std::function<int()> declare_runs(CLI::App& app, Globals& globals) {
  struct Options {
    ListingOptions listing;
    std::string file;
    bool failures = false;
    bool journal = false;
    std::vector<std::int64_t> only;
  };
  auto o = std::make_shared<Options>();
  app.add_option("--where", o->listing.where,
                 "only runs for which this holds, such as \"power > 40 && hull == 'steel'\"; also id, batch, "
                 "use, origin and status");
  app.add_option("--sort", o->listing.sort, "by a parameter, a response or id; -name: descending");
  app.add_option(
      "--export", o->file,
      "write them as CSV (or .json or .xlsx by the file's ending), full precision (.xlsx: 16 digits)");
  auto* failures = app.add_flag("--failures", o->failures, "how many failed, why, and where in the space");
  app.add_flag("--journal", o->journal, "who ran what when: every call of the solver")->excludes(failures);
  app.add_option("--only", o->only, "journal: of these runs, by number (default: all, or those of --where)")
      ->delimiter(',');
  return [o, &globals] {
    Session session(globals.study);
    if (o->failures) {
      print(globals, session.study, find_failures(session, globals.level));
      return 0;
    }
    if (o->journal) {
      if (o->only.empty() && !o->listing.where.empty())
        for (const Run& run : list_runs(session, o->listing).runs) o->only.push_back(run.id);
      print(globals, session.study, journal_of(session, o->only));
      return 0;
    }
    const RunsResult result = list_runs(session, o->listing);
    if (!o->file.empty()) {
      const bool json = o->file.ends_with(".json");
      if (is_spreadsheet(o->file))
        write_sheets(o->file, sheets_of_runs(session.study, result.runs));
      else
        write_whole_file(o->file, json ? json_text(to_document(session.study, result), true)
                                       : export_runs(session.study, result.runs));
      if (!globals.json) {
        print("Wrote {} runs to {}.\n", result.runs.size(), o->file);
        return 0;
      }
    }
    print(globals, session.study, result);
    return 0;
  };
}

}  // namespace renth::cli
