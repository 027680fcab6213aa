#include <renth/cli/cli.hpp>
#include <renth/workflow/drawing.hpp>

namespace renth::cli {

std::function<int()> declare_draw(CLI::App& app, Globals& globals) {
  struct Options {
    DrawingOptions drawing;
    std::string at, file;
    int proposal = 0;
  };
  auto o = std::make_shared<Options>();
  std::string kinds;
  for (const auto& [kind, summary] : figure_kinds()) kinds += fmt::format("\n  {}: {}", kind, summary);
  app.add_option("FIGURE", o->drawing.figure, "what to draw" + kinds)->required();
  app.add_option("-o,--output", o->file, "FILE.svg or FILE.png")->required();
  app.add_option("--response", o->drawing.responses,
                 "which responses (default: all, or the first where one is drawn)");
  app.add_option("--x", o->drawing.x, "contour: parameter across (default: the one that matters most)");
  app.add_option("--y", o->drawing.y, "contour: parameter upwards (default: the second)");
  auto* at = app.add_option("--at", o->at,
                            "where the others are held, such as radius=5,hull=steel (default: nominal)");
  app.add_option("--proposal", o->proposal, "hold them at this proposal of the last seek")->excludes(at);
  return [o, &globals] {
    DrawingOptions& d = o->drawing;
    d.responses = split(d.responses);
    if (!o->at.empty()) d.at = parse_settings(o->at, "--at");
    if (o->proposal > 0) d.proposal = o->proposal;
    d.file = o->file;
    d.seed = globals.seed;
    d.level = globals.level;
    Session session(globals.study);
    const Notes notes = draw_figure(session, d);
    if (globals.json) {
      fmt::print("{}\n",
                 Json{{"figure", d.figure}, {"file", o->file}, {"notes", notes_document(notes)}}.dump(1));
    } else {
      fmt::print("Drew {} to {}.\n", d.figure, o->file);
      for (const Note& n : notes) fmt::print("note: {}\n", n.text);
    }
    return status_of(notes);
  };
}

}  // namespace renth::cli
