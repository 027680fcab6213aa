#include <renth/cli/cli.hpp>
#include <renth/document/parts.hpp>
#include <renth/workflow/importing.hpp>

namespace renth::cli {

std::function<int()> declare_init(CLI::App& app, Globals& globals) {
  struct Options {
    std::string folder, demo, from;
    std::vector<std::string> responses;
  };
  auto o = std::make_shared<Options>();
  app.add_option("DIR", o->folder, "the folder to make")->required();
  auto* demo = app.add_option("--demo", o->demo, "the demonstration study: buoy or tank");
  auto* from =
      app.add_option("--from", o->from, "a table of runs; parameters, levels and spans are guessed from it")
          ->excludes(demo);
  app.add_option("--responses", o->responses, "columns of the table that are responses, separated by commas")
      ->needs(from);
  return [o, &globals] {
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
