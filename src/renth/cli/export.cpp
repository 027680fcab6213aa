#include <fmt/format.h>

#include <renth/cli/cli.hpp>
#include <renth/document/export.hpp>
#include <renth/export/forms.hpp>

namespace renth::cli {

std::function<int()> declare_export(CLI::App& app, Globals& globals) {
  struct Options {
    std::string form, output;
    std::vector<std::string> responses;
  };
  auto o = std::make_shared<Options>();
  std::string words;
  std::vector<std::string> names;
  for (const ExportForm& form : export_forms()) {
    words += fmt::format("{}{}: {}", words.empty() ? "" : "; ", form.name, form.what);
    names.emplace_back(form.name);
  }
  app.add_option("FORMAT", o->form, words)->required()->check(CLI::IsMember(names));
  app.add_option("--response", o->responses, "only these responses, with what they are derived from");
  app.add_option("-o,--output", o->output, "the file to write")->required();
  return [o, &globals] {
    const ExportForm& form = export_form(o->form);
    Session session(globals.study);
    ModelExport result = export_model(session, split(o->responses), o->output, form.write);
    result.how = form.how;
    result.next = form.next;
    print(globals, session.study, result);
    const int status = status_of(result.notes);
    log(globals, session, status);
    return status;
  };
}

}  // namespace renth::cli
