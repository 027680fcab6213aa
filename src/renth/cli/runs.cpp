#include <fstream>
#include <renth/cli/cli.hpp>
#include <renth/workflow/failing.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/listing.hpp>

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
  app.add_option("--export", o->file, "write them as CSV (or JSON by the file's ending), full precision");
  auto* failures = app.add_flag("--failures", o->failures, "how many failed, why, and where in the space");
  app.add_flag("--journal", o->journal, "who ran what when: every call of the solver")->excludes(failures);
  app.add_option("--only", o->only, "journal: of these runs, by number (default: all, or those of --where)")
      ->delimiter(',');
  return [o, &globals] {
    Session session(globals.study);
    if (o->failures) {
      print(globals, session.study, find_failures(session));
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
      const bool json = o->file.size() > 5 && o->file.substr(o->file.size() - 5) == ".json";
      std::ofstream out(o->file, std::ios::binary);
      out << (json ? to_document(session.study, result).dump(1) + "\n"
                   : export_runs(session.study, result.runs));
      if (!out.flush())
        throw Error("cannot write", o->file, "look at the folder's permissions and the disk",
                    ErrorKind::machine);
      if (!globals.json) {
        fmt::print("Wrote {} runs to {}.\n", result.runs.size(), o->file);
        return 0;
      }
    }
    print(globals, session.study, result);
    return 0;
  };
}

std::function<int()> declare_import(CLI::App& app, Globals& globals) {
  struct Options {
    std::string file;
    std::vector<std::string> map;
    ImportOptions import;
  };
  auto o = std::make_shared<Options>();
  app.add_option("FILE", o->file,
                 "a table separated by commas, semicolons, tabs, bars or blanks, or JSON of runs")
      ->required();
  app.add_option("--map", o->map, "\"Column (mm)=name\": what a column is in the study");
  app.add_option(
      "--batch", o->import.batch,
      "batch of rows that match no run (default: as the file says, else the next of imported-1, …)");
  app.add_option("--use", o->import.use, "use of that batch: fit (default), check or confirm")
      ->check(CLI::IsMember({"fit", "check", "confirm"}));
  app.add_option("--tolerance", o->import.tolerance,
                 "how far a row may be from a planned run to be that run, in spans (default: 1e-6, and rows "
                 "within 0.005 are refused)")
      ->check(CLI::Range(0.0, 0.5));
  app.add_flag("--partial", o->import.partial, "import the good rows though others are refused");
  app.add_flag("--ignore-units", o->import.ignore_units,
               "take values as they are, whatever unit the file names");
  return [o, &globals] {
    for (const std::string& entry : o->map) {
      const std::size_t equals = entry.rfind('=');
      if (equals == std::string::npos || equals == 0)
        throw Error("\"" + entry + "\" maps nothing", "--map", "write \"Column=name\"");
      o->import.map[entry.substr(0, equals)] = entry.substr(equals + 1);
    }
    Session session(globals.study);
    const ImportResult r = import_table(session, o->file, o->import);
    const int status = r.refused.empty() ? 0 : 1;
    if (globals.json) {
      Json refused = Json::array();
      for (const auto& [line, why] : r.refused) refused.push_back({{"line", line}, {"why", why}});
      fmt::print("{}\n", Json{{"batch", r.batches.empty() ? "" : r.batches.front()},
                              {"batches", r.batches},
                              {"filled", r.filled},
                              {"added", r.added},
                              {"planned", r.planned},
                              {"unchanged", r.unchanged},
                              {"refused", refused},
                              {"notes", notes_document(r.notes)}}
                             .dump(1));
      return status;
    }
    fmt::print("{} runs filled in, {} runs added, {} added as planned, {} as they were, {} rows refused.\n",
               r.filled, r.added, r.planned, r.unchanged, r.refused.size());
    for (const auto& [line, why] : r.refused) fmt::print("  line {}: {}\n", line, why);
    for (const Note& n : r.notes) fmt::print("note: {}\n", n.text);
    fmt::print("next: renth fit\n");
    return status;
  };
}

namespace {

std::function<int()> declare_aside(CLI::App& app, Globals& globals, bool aside) {
  struct Options {
    std::vector<std::int64_t> ids;
    std::string why, response;
  };
  auto o = std::make_shared<Options>();
  app.add_option("ID", o->ids, "numbers of the runs")->required();
  if (aside) app.add_option("--why", o->why, "the reason; kept and shown")->required();
  app.add_option("--response", o->response, "only for this response (default: altogether)");
  return [o, aside, &globals] {
    Session session(globals.study);
    set_runs_aside(session, o->ids, o->response, aside ? std::optional(o->why) : std::nullopt);
    if (globals.json)
      fmt::print("{}\n", Json{{aside ? "set_aside" : "restored", o->ids}, {"notes", Json::array()}}.dump(1));
    else
      fmt::print("{} {} run{}. next: renth fit\n", aside ? "Set aside" : "Restored", o->ids.size(),
                 o->ids.size() == 1 ? "" : "s");
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
