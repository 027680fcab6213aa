#include <renth/cli/cli.hpp>
#include <renth/document/export.hpp>

namespace renth::cli {

std::function<int()> declare_export(CLI::App& app, Globals& globals) {
  struct Options {
    std::string format, output;
    std::vector<std::string> responses;
  };
  auto o = std::make_shared<Options>();
  app.add_option("FORMAT", o->format,
                 "model: the surrogates of all responses in one file, which renth predict --from-model and "
                 "programs with the library read without the study")
      ->required()
      ->check(CLI::IsMember({"model"}));
  app.add_option("--response", o->responses, "only these responses, with what they are derived from");
  app.add_option("-o,--output", o->output, "the file to write")->required();
  return [o, &globals] {
    Session session(globals.study);
    const ModelExport result = export_model(session, split(o->responses), o->output);
    print(globals, session.study, result);
    const int status = status_of(result.notes);
    log(globals, session, status);
    return status;
  };
}

}  // namespace renth::cli
