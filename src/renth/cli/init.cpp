#include <renth/cli/cli.hpp>
#include <renth/document/parts.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/narrowing.hpp>

namespace renth::cli {
namespace {

struct InitOptions {
  std::string folder, demo, from;
  std::vector<std::string> responses;
  double screen = 0;
  std::string window;
  bool near_best = false;
};

/// A narrowed study of one that exists.
int narrow(const Globals& globals, const InitOptions& o) {
  const NarrowedStudy made = o.near_best         ? near_best_study(o.folder, o.from)
                             : !o.window.empty() ? window_study(o.folder, o.from, o.window)
                                                 : screened_study(o.folder, o.from, o.screen);
  if (globals.json) {
    print_document(Json{{"folder", o.folder},
                        {"fixed", made.fixed},
                        {"narrowed", made.narrowed},
                        {"undecided", made.undecided},
                        {"runs", made.runs},
                        {"notes", notes_document(made.notes)}});
    return status_of(made.notes);
  }
  if (!made.narrowed.empty()) {
    print("Made a study in {} with {} narrowed{}: {} came along as they were made.\n", o.folder,
          listed(made.narrowed), made.fixed.empty() ? "" : " and " + listed(made.fixed) + " fixed",
          count_of(made.runs, "run"));
    print_text(notes_of(made.notes) +
               next_step("cd " + as_typed({o.folder}) + " && renth check", "then renth plan spread"));
    return status_of(made.notes);
  }
  print("Made a study in {} in which {} {} no more: {} came along, as if made with the fixed value{}.\n",
        o.folder, listed(made.fixed), made.fixed.size() == 1 ? "varies" : "vary", count_of(made.runs, "run"),
        made.fixed.size() == 1 ? "" : "s");
  if (!made.undecided.empty()) print("  Perhaps these could go too: {}.\n", listed(made.undecided));
  print_text(notes_of(made.notes) + next_step("cd " + as_typed({o.folder}) + " && renth fit"));
  return status_of(made.notes);
}

}  // namespace

std::function<int()> declare_init(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<InitOptions>();
  app.add_option("DIR", o->folder, "the folder to make")->required();
  auto* demo = app.add_option("--demo", o->demo, "the demonstration study: buoy or tank");
  auto* from =
      app.add_option("--from", o->from,
                     "a table of runs, from which parameters, levels and spans are guessed; or a study, to "
                     "be narrowed")
          ->excludes(demo);
  app.add_option("--responses", o->responses, "columns of the table that are responses, separated by commas")
      ->needs(from);
  auto* screen =
      app.add_option(
             "--screen", o->screen,
             "of a study: fix what certainly makes less than this share of the variance of every response")
          ->needs(from)
          ->check(CLI::Range(0.0, 1.0));
  app.add_option("--window", o->window, "of a study: the spans of a window that renth window --keep-as kept")
      ->needs(from)
      ->excludes(screen);
  app.add_flag("--near-best", o->near_best,
               "of a study: the box that the last seek found as good as the best")
      ->needs(from)
      ->excludes(screen);
  return [o, screen, &globals] {
    const bool study = !o->from.empty() && std::filesystem::is_directory(o->from);
    const bool narrower = o->near_best || !o->window.empty();
    if (narrower && !study)
      throw Error(o->from + " is no study", "--from " + o->from, "name a study's folder");
    if (study && !*screen && !narrower)
      throw Error(
          "a study is taken to be narrowed", "--from " + o->from,
          "say how: --screen 0.02 fixes what hardly matters, --window NAME or --near-best takes its spans");
    if (*screen && !study)
      throw Error(o->from + " is a table, whose runs have not been ranked", "--screen",
                  "make the study, fit it, and narrow that");
    if (study) return narrow(globals, *o);
    std::vector<std::string> said;
    if (!o->from.empty())
      said = study_from_table(o->folder, o->from, split(o->responses));
    else if (!o->demo.empty())
      make_demo_study(o->folder, o->demo);
    else
      make_starter_study(o->folder);
    if (globals.json) {
      Json guessed = Json::array();
      for (const std::string& line : said) guessed.push_back(line);
      print_document(Json{{"folder", o->folder}, {"guessed", guessed}, {"notes", Json::array()}});
      return 0;
    }
    print("Made a study in {}.\n", o->folder);
    if (!said.empty()) print("Guessed from the table (correct study.toml where this is wrong):\n");
    for (const std::string& line : said) print("  {}\n", line);
    const bool starter = o->from.empty() && o->demo.empty();
    print_text(
        next_step("cd " + as_typed({o->folder}) + (o->demo.empty() ? " && renth check" : " && renth plan"),
                  starter ? "first write your study into study.toml" : ""));
    return 0;
  };
}

}  // namespace renth::cli
