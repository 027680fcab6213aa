// The table of verbs, in the order of the work.
#include <renth/cli/cli.hpp>

namespace renth::cli {

std::function<int()> declare_init(CLI::App&, Globals&);
std::function<int()> declare_check(CLI::App&, Globals&);
std::function<int()> declare_plan(CLI::App&, Globals&);
std::function<int()> declare_assess(CLI::App&, Globals&);
std::function<int()> declare_discard(CLI::App&, Globals&);
std::function<int()> declare_run(CLI::App&, Globals&);
std::function<int()> declare_runs(CLI::App&, Globals&);
std::function<int()> declare_import(CLI::App&, Globals&);
std::function<int()> declare_set_aside(CLI::App&, Globals&);
std::function<int()> declare_restore(CLI::App&, Globals&);
std::function<int()> declare_fit(CLI::App&, Globals&);
std::function<int()> declare_equation(CLI::App&, Globals&);
std::function<int()> declare_trust(CLI::App&, Globals&);
std::function<int()> declare_rank(CLI::App&, Globals&);
std::function<int()> declare_predict(CLI::App&, Globals&);
std::function<int()> declare_mark(CLI::App&, Globals&);
std::function<int()> declare_extremes(CLI::App&, Globals&);
std::function<int()> declare_seek(CLI::App&, Globals&);
std::function<int()> declare_confirm(CLI::App&, Globals&);
std::function<int()> declare_refine(CLI::App&, Globals&);
std::function<int()> declare_tolerance(CLI::App&, Globals&);
std::function<int()> declare_window(CLI::App&, Globals&);
std::function<int()> declare_draw(CLI::App&, Globals&);
std::function<int()> declare_explore(CLI::App&, Globals&);
std::function<int()> declare_report(CLI::App&, Globals&);
std::function<int()> declare_export(CLI::App&, Globals&);
std::function<int()> declare_log(CLI::App&, Globals&);
std::function<int()> declare_demo(CLI::App&, Globals&);
std::function<int()> declare_complete(CLI::App&, Globals&);
std::function<int()> declare_man_pages(CLI::App&, Globals&);

const std::vector<Verb>& verbs() {
  static const std::vector<Verb> all = {
      {"init", "make a study folder: a short one to change, from a table or a study, or a demo",
       declare_init},
      {"check", "read the study file and say what it means, or all that is wrong", declare_check},
      {"plan", "choose runs", declare_plan},
      {"assess", "judge a plan before it is run", declare_assess},
      {"discard", "remove the planned runs of a batch", declare_discard},
      {"run", "compute what is planned; can be stopped and started again", declare_run},
      {"runs", "the table of runs", declare_runs},
      {"import", "bring in a table of runs", declare_import},
      {"set-aside", "leave runs out, with a reason", declare_set_aside},
      {"restore", "take runs back in", declare_restore},
      {"fit", "fit a surrogate for each response", declare_fit},
      {"equation", "a fitted polynomial as text, CSV, LaTeX or C", declare_equation},
      {"trust", "how far each surrogate can be believed", declare_trust},
      {"rank", "which parameters matter", declare_rank},
      {"predict", "ask the surrogates", declare_predict},
      {"mark", "keep a setting by name", declare_mark},
      {"extremes", "smallest and largest value of each response, and where", declare_extremes},
      {"seek", "search the surrogates for the settings wanted", declare_seek},
      {"confirm", "run the solver at settings found, and compare", declare_confirm},
      {"refine", "plan, run and fit again where it helps most, until it is good enough", declare_refine},
      {"tolerance", "yield in production, and which parameter costs it", declare_tolerance},
      {"window", "between which bounds settings may move", declare_window},
      {"draw", "one figure", declare_draw},
      {"explore", "the study as a live page: move a setting and see everything follow", declare_explore},
      {"report", "the whole study for somebody who must be able to believe it", declare_report},
      {"export", "the surrogates as a file that answers without the study", declare_export},
      {"log", "the commands of this study with their dates", declare_log},
      {"demo", "the whole loop on the buoy", declare_demo},
      // For shells and for installing: without a summary, they are in no help.
      {"complete-words", "", declare_complete},
      {"man-pages", "", declare_man_pages},
  };
  return all;
}

}  // namespace renth::cli
