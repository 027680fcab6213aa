#include <renth/cli/cli.hpp>
#include <renth/export/equation.hpp>
#include <renth/workflow/judging.hpp>

namespace renth::cli {

std::function<int()> declare_equation(CLI::App& app, Globals& globals) {
  struct Options {
    std::string response, format = "text";
    EquationOptions equation;
  };
  auto o = std::make_shared<Options>();
  app.add_option("--response", o->response, "of which polynomial (default: the first response)");
  app.add_option("--format", o->format, "text, csv or latex (default text)")
      ->check(CLI::IsMember(equation_format_words.all()));
  app.add_flag("--coded", o->equation.coded, "in coded units, −1 … +1 (default: real units)");
  app.add_option("--digits", o->equation.digits, "significant digits (default 17, which lose nothing)")
      ->check(CLI::Range(2, 17));
  return [o, &globals] {
    o->equation.format = equation_format_words.value(o->format, "--format");
    Session session(globals.study);
    if (o->response.empty()) o->response = chosen_responses(session.study, {}, false).front().name;
    Notes notes;
    const ModelResult model = polynomial_alone(session, o->response, globals.level, notes);
    std::string text = equation(session.study, model, o->equation);
    if (globals.json) {
      print_document(Json{{"response", o->response},
                          {"format", o->format},
                          {"text", text},
                          {"notes", notes_document(notes)}});
    } else {
      if (text.back() != '\n') text += '\n';
      print("{}", text);
      for (const Note& n : notes) print_aside(fmt::format("note: {}\n", n.text));
    }
    const int status = model.judgement.verdict == Verdict::unfit ? 1 : 0;
    log(globals, session, status);
    return status;
  };
}

}  // namespace renth::cli
