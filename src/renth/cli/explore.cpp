#include <renth/base/error.hpp>
#include <renth/cli/cli.hpp>
#include <renth/report/page.hpp>
#include <renth/table/whole_file.hpp>

namespace renth::cli {

std::function<int()> declare_explore(CLI::App& app, Globals& globals) {
  auto file = std::make_shared<std::string>();
  app.add_option("-o,--output", *file, "FILE.html, which works offline by itself")->required();
  return [file, &globals] {
    if (!file->ends_with(".html"))
      throw Error(*file + " is no page", "-o " + *file, "name a file that ends in .html");
    Session session(globals.study);
    Notes notes;
    PageOptions options;
    options.level = globals.level;
    options.version = RENTH_VERSION;
    const std::string page = page_html(session, options, notes);
    write_whole_file(*file, page);
    if (globals.json)
      print_document(Json{{"file", *file}, {"bytes", page.size()}, {"notes", notes_document(notes)}});
    else
      print_table(
          globals,
          fmt::format("Wrote the page of {} to {} ({:.2f} MB): open it in a browser, no server is needed.\n",
                      session.study.name, *file, double(page.size()) / 1e6) +
              notes_of(notes));
    const int status = status_of(notes);
    log(globals, session, status);
    return status;
  };
}

}  // namespace renth::cli
