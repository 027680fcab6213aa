#include <renth/cli/cli.hpp>
#include <renth/document/confirm.hpp>
#include <renth/document/fit.hpp>
#include <renth/document/plan.hpp>
#include <renth/document/rank.hpp>
#include <renth/document/run.hpp>
#include <renth/document/seek.hpp>
#include <renth/document/trust.hpp>
#include <renth/figure/drawing.hpp>
#include <renth/workflow/confirming.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/importing.hpp>
#include <renth/workflow/planning.hpp>
#include <renth/workflow/ranking.hpp>
#include <renth/workflow/seeking.hpp>
#include <sstream>

namespace renth::cli {
namespace {

void say(const std::string& command, const std::string& text) {
  std::fputs("\n\033[1m", stdout);
  print("$ {}", command);
  std::fputs("\033[0m", stdout);
  print("\n{}\n\n", text);
  std::fflush(stdout);
}

/// Says what is typed and why, and stands for its having been typed.
Globals typed(const Globals& globals, const std::string& command, const std::string& text) {
  say("renth " + command, text);
  Globals out = globals;
  out.words.clear();
  std::istringstream words(command);
  for (std::string word; words >> word;) out.words.push_back(word);
  out.verb = out.words.front();
  return out;
}

/// Planning and running.
void tell_runs(Session& session, const std::string& folder, const Globals& globals) {
  finish(typed(globals, "plan",
               "Choose the runs: spread evenly over six parameters, obeying the limit on freeboard."),
         session, plan_batch(session, {}), 0);
  const Globals checking =
      typed(globals, "plan --use check --runs 20",
            "And some that are never fitted, to check against: far from those that are.");
  PlanningOptions check;
  check.use = "check";
  check.request.runs = 20;
  const PlanResult checks = plan_batch(session, check);
  print("Planned {} runs in batch {}, none nearer than {} to a run that is fitted.\n", checks.plan.size(),
        checks.batch.name, pretty(checks.from_fit_runs.value_or(0), 3));
  log(checking, session);

  const Globals running_it = typed(globals, "run",
                                   "Run the solver, a program of its own. Some hulls sink and some corners "
                                   "do not converge: that is real life.");
  RunSummary summary;
  {
    RunningOptions running;
    RunControl control(globals);
    control.attach(running);
    summary = run_batches(session, running);
  }
  finish(running_it, session, summary, summary.failed > 0 ? 3 : 0);
  if (summary.stopped)
    throw Error("the demo was interrupted", folder, "cd there and renth run", ErrorKind::request);
}

void tell_pictures(Session& session, const std::string& folder) {
  say("renth draw … -o FIGURE.svg", "And pictures.");
  for (const char* figure : {"predicted-observed", "importance", "slices", "contour"}) {
    DrawingOptions drawing;
    drawing.figure = figure;
    if (std::string(figure) == "slices" || std::string(figure) == "contour") drawing.held = {.proposal = "1"};
    if (std::string(figure) == "importance") drawing.responses = {"power", "load", "mass"};
    drawing.file = std::filesystem::path(folder) / fmt::format("{}.svg", figure);
    draw_figure(session, drawing);
    print("Drew {}.\n", drawing.file.string());
  }
}

/// The whole loop, told as it goes. The study stays to be played with.
void tell(const std::string& folder, Globals& globals) {
  print(
      "A heaving wave-energy buoy, made up: which float, generator and mooring give most power for least "
      "load and steel?\n");
  say("renth init " + folder + " --demo buoy",
      "A study is a folder with study.toml, which people write, and study.db, which the tool writes.");
  make_demo_study(folder, "buoy");
  globals.study = folder;
  Session session(folder);

  tell_runs(session, folder, globals);
  const auto show = [&](const std::string& command, const std::string& why, const auto& find) {
    const Globals as = typed(globals, command, why);
    finish(as, session, find(), 0);
  };
  show("fit", "Fit a surrogate to each response: the kind that best predicts runs it has not seen.",
       [&] { return fit_responses(session, {.responses = {}, .seed = globals.seed}); });
  show("trust --response power", "Ask whether to believe it.",
       [&] { return trust_responses(session, {.responses = {"power"}, .level = globals.level}); });
  show("rank --response power,load,mass", "Which parameters matter?", [&] {
    return rank_responses(session, {.responses = {"power", "load", "mass"}, .seed = globals.seed});
  });
  show("seek", "Search the surrogates: most power, least load and steel, within the accepted limits.",
       [&] { return seek_settings(session, {.seed = globals.seed}); });
  ConfirmResult confirmed;
  show("confirm", "Run the solver at the best setting found, and compare honestly.", [&] {
    confirmed = confirm_settings(session, {});
    return confirmed;
  });
  print("{}\n", confirmed.missed
                    ? "Not everything came out inside its interval: the surrogate was too sure of "
                      "itself at this corner. Fitting again with this run is the cure."
                    : "Everything came out inside its interval.");

  tell_pictures(session, folder);
  print(
      "\nThe study is in {0}. Try next:\n  renth -s {0} seek --scenario sheltered\n  renth -s {0} fit --take "
      "confirm\n  renth -s {0} predict --at radius=6,damping=200,hull=composite\n",
      folder);
}

}  // namespace

std::function<int()> declare_demo(CLI::App& app, Globals& globals) {
  auto folder = std::make_shared<std::string>("buoy");
  app.add_option("DIR", *folder, "the folder to make (default: buoy)");
  return [folder, &globals] {
    if (globals.json)
      throw Error("the demo is told in tables", "--json",
                  "leave it out; every verb that the demo shows has it");
    tell(*folder, globals);
    return 0;
  };
}

}  // namespace renth::cli
