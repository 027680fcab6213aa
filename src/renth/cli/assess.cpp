#include <renth/cli/cli.hpp>
#include <renth/document/assess.hpp>
#include <renth/workflow/assessing.hpp>

namespace renth::cli {

std::function<int()> declare_assess(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<AssessingOptions>();
  app.add_option("--batch", o->batch,
                 "a batch, several joined by +, or a file from plan --dry-run --json (default: all runs that "
                 "are fitted)");
  app.add_option("--model", o->model,
                 "TERMS (default: those it was made for, else the richest polynomial it carries)");
  app.add_option("--against", o->against, "the same for others, side by side");
  return [o, &globals] {
    o->against = split(o->against);
    Session session(globals.study);
    return finish(globals, session, assess_plans(session, *o), 0);
  };
}

}  // namespace renth::cli
