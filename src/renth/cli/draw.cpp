#include <algorithm>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/cli/cli.hpp>
#include <renth/cli/setting_options.hpp>
#include <renth/figure/drawing.hpp>
#include <renth/figure/parts.hpp>
#include <renth/report/page.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/version.hpp>
#include <set>

namespace renth::cli {
namespace {

struct DrawAsked {
  DrawingOptions drawing;
  std::string file, runs, ending = ".svg";
  std::vector<std::string> scatter;
  SettingOptions setting;
};

void declare_for_plans(CLI::App& app, DrawAsked& o) {
  app.add_option("--batch", o.drawing.batch,
                 "figures of plans: as assess (default: all runs that are fitted)");
  app.add_option("--against", o.drawing.against,
                 "region-share: other plans in the same picture; residuals: a parameter");
  app.add_option("--model", o.drawing.model,
                 "figures of plans: TERMS (default: as assess; sweep: quadratic)");
  app.add_option("--centre", o.drawing.centre,
                 "region-share: the plan with these numbers of centre runs (default 1,3,5 if it has any and "
                 "nothing is overlaid)")
      ->delimiter(',')
      ->check(CLI::Range(0, 1000));
  app.add_option("--runs", o.runs, "sweep: the range A..B");
  app.add_option("--criterion", o.drawing.criterion, "sweep: D, I, A or G (default D)");
}

void declare_for_production(CLI::App& app, DrawAsked& o) {
  app.add_option("--set", o.scatter, "figures of production: p=SCATTER, as renth tolerance");
  app.add_option("--accept", o.drawing.accept,
                 "figures of production: \"R<=V\", another limit than the file's");
  app.add_option(
         "--within", o.drawing.within,
         "yield: the yield that is wanted; window, pass-fail: the share in specification (default 0.99)")
      ->check(CLI::Range(0.01, 1.0));
}

/// The figure as a live page of its own.
Notes draw_page(Session& session, const DrawAsked& o, const Globals& globals) {
  const DrawingOptions& d = o.drawing;
  std::string view;
  std::vector<std::string> known, with_view;
  for (const FigureKind& k : figure_kinds()) {
    known.push_back(k.name);
    if (!k.view.empty()) with_view.push_back(k.name);
    if (k.name == d.figure) view = k.view;
  }
  if (std::find(known.begin(), known.end(), d.figure) == known.end())
    refuse_unknown("figure", d.figure, "draw", known);
  if (view.empty())
    throw Error(d.figure + " is a still figure", "draw -o " + o.file,
                "write .svg or .png; as a page there are " + listed(with_view));
  for (const auto& [name, option] : {std::pair{d.x, "--x"}, {d.y, "--y"}, {d.by, "--by"}})
    if (!name.empty()) parameter_named(session.study, name, option);
  for (const std::string& r : d.responses) session.study.response(r);
  PageOptions options;
  options.level = globals.level;
  options.version = version;
  options.view = {
      {"tab", view},
      {"response", d.responses.empty() ? Json(nullptr) : Json(d.responses.front())},
      {"x", d.x},
      {"y", d.y},
      {"by", d.by},
      {"at", d.held.any() ? json_point(session.study, setting_asked(session, d.held)) : Json(nullptr)}};
  Notes notes;
  const std::string page = page_html(session, options, notes);
  write_whole_file(o.file, page);
  return notes;
}

/// Every figure there is; how many, and what is not there.
void print_all(const Globals& globals, const std::vector<DrawnFigure>& all, const std::string& folder) {
  Json figures = Json::array(), left_out = Json::array();
  for (const DrawnFigure& f : all)
    if (f.file.empty())
      left_out.push_back({{"figure", f.figure}, {"response", f.response}, {"why", f.why}});
    else
      figures.push_back({{"figure", f.figure}, {"response", f.response}, {"file", f.file.string()}});
  if (globals.json)
    return print_document(
        Json{{"folder", folder}, {"figures", figures}, {"left_out", left_out}, {"notes", Json::array()}});
  print("Drew {} figures to {}.\n", figures.size(), folder);
  if (globals.quiet) return;
  std::set<std::string> drawn;
  for (const DrawnFigure& f : all)
    if (!f.file.empty()) drawn.insert(f.figure);
  for (const DrawnFigure& f : all)  // once a figure: those that no response has
    if (drawn.insert(f.figure).second) print("  no {}: {}\n", f.figure, f.why);
}

int draw(DrawAsked& o, const Globals& globals) {
  DrawingOptions& d = o.drawing;
  d.responses = split(d.responses);
  d.against = split(d.against);
  if (!o.runs.empty()) std::tie(d.runs_from, d.runs_to) = parse_range(o.runs);
  d.held = o.setting.asked();
  d.file = o.file;
  d.set = parse_scatters(o.scatter);
  d.seed = globals.seed;
  d.level = globals.level;
  Session session(globals.study);
  if (d.figure == "all") {
    print_all(globals, draw_all(session, d, o.file, o.ending), o.file);
    log(globals, session);
    return 0;
  }
  const Notes notes = o.file.ends_with(".html") ? draw_page(session, o, globals) : draw_figure(session, d);
  if (globals.json) {
    print_document(Json{{"figure", d.figure}, {"file", o.file}, {"notes", notes_document(notes)}});
  } else {
    print("Drew {} to {}.\n", d.figure, o.file);
    for (const Note& n : notes) print("note: {}\n", n.text);
  }
  const int status = status_of(notes);
  log(globals, session, status);
  return status;
}

}  // namespace

std::function<int()> declare_draw(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<DrawAsked>();
  std::string kinds;
  for (const FigureKind& k : figure_kinds())
    kinds += fmt::format("\n  {}: {}{}", k.name, k.summary, k.view.empty() ? "" : " (also as .html)");
  app.add_option("FIGURE", o->drawing.figure,
                 "what to draw; all: every figure that the study has, into the folder -o" + kinds)
      ->required();
  app.add_option("--as", o->ending, "all: .svg or .png (default .svg)")
      ->check(CLI::IsMember({".svg", ".png"}));
  app.add_option("-o,--output", o->file, "FILE.svg, FILE.png or, of some, FILE.html, where it moves")
      ->required();
  app.add_option("--response", o->drawing.responses,
                 "which responses (default: all, or the first where one is drawn)");
  app.add_option("--x", o->drawing.x,
                 "contour, surface, overlap, interaction, error-map: parameter across (default: the one that "
                 "matters most)");
  app.add_option("--y", o->drawing.y, "the same: parameter upwards, or of the lines (default: the second)");
  app.add_option("--by", o->drawing.by, "slices: a second parameter, a line for each of a few of its values");
  o->setting.declare(app, "where the others are held");
  app.add_flag("--computed", o->drawing.computed,
               "curve: what the solver computed at this setting (renth confirm) laid over what is predicted");
  app.add_option("--target", o->drawing.target, "learning: the Q² that is wanted (default 0.95)")
      ->check(CLI::Range(0.0, 1.0));
  declare_for_production(app, *o);
  declare_for_plans(app, *o);
  return [o, &globals] { return draw(*o, globals); };
}

}  // namespace renth::cli
