#include <filesystem>
#include <renth/base/error.hpp>
#include <renth/cli/cli.hpp>
#include <renth/report/page.hpp>
#include <renth/report/report.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/version.hpp>

namespace renth::cli {
namespace {

struct Asked {
  std::string file;
  ReportOptions report;
};

/// The report, and beside a Markdown one its pictures. \returns  what was written, in words.
std::string write_report(Session& session, const Asked& asked, Notes& notes) {
  const Report report = report_of(session, asked.report, notes);
  if (asked.file.ends_with(".md")) {
    const std::filesystem::path folder = asked.file.substr(0, asked.file.size() - 3) + "_files";
    int pictures = 0;
    for (const Block& block : report.blocks)
      if (const auto* p = std::get_if<Picture>(&block)) {
        std::error_code failed;
        std::filesystem::create_directories(folder, failed);
        if (failed)
          throw Error("cannot make the folder of the pictures: " + failed.message(), folder.string(),
                      "choose another place for -o", ErrorKind::machine);
        write_whole_file(folder / (p->name + (p->png ? ".png" : ".svg")), p->image);
        ++pictures;
      }
    write_whole_file(asked.file, report_markdown(report, folder.filename().string()));
    return fmt::format("Wrote the report to {}, its {} pictures to {}.\n", asked.file, pictures,
                       folder.string());
  }
  std::string html;
  if (!asked.report.live) {
    html = report_html(report);
  } else {
    PageOptions page;
    page.level = asked.report.level;
    page.version = asked.report.version;
    page.view = {{"tab", "slices"}, {"response", nullptr}, {"x", ""}, {"y", ""}, {"by", ""}, {"at", nullptr}};
    html = report_with_page(report, page_html(session, page, notes));
  }
  write_whole_file(asked.file, html);
  return fmt::format("Wrote the report to {} ({:.2f} MB).\n", asked.file, double(html.size()) / 1e6);
}

}  // namespace

std::function<int()> declare_report(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<Asked>();
  std::string names;
  for (const ReportSection& s : report_sections()) names += (names.empty() ? "" : ", ") + s.name;
  app.add_option("-o,--output", o->file, "FILE.html, or FILE.md with its pictures beside it")->required();
  app.add_option("--sections", o->report.sections, "only these: " + names)->delimiter(',');
  app.add_option("--responses", o->report.responses,
                 "shown at length (default: those with a goal or a limit, at most six)")
      ->delimiter(',');
  app.add_option("--title", o->report.title, "default: the study's name");
  app.add_option("--author", o->report.author, "who answers for it");
  app.add_flag("--live", o->report.live, "HTML: with the page's settings and slices at the end, which move");
  return [o, &globals] {
    const bool html = o->file.ends_with(".html");
    if (!html && !o->file.ends_with(".md"))
      throw Error(o->file + " is no report", "-o " + o->file, "name a file that ends in .html or .md");
    if (o->report.live && !html)
      throw Error("Markdown cannot move", "--live", "write HTML, or leave --live out");
    o->report.level = globals.level;
    o->report.version = version;
    Session session(globals.study);
    Notes notes;
    const std::string words = write_report(session, *o, notes);
    if (globals.json)
      print_document(Json{{"file", o->file}, {"notes", notes_document(notes)}});
    else
      print_table(globals, words + notes_of(notes));
    session.keep();
    const int status = status_of(notes);
    log(globals, session, status);
    return status;
  };
}

}  // namespace renth::cli
