#include <renth/cli/cli.hpp>
#include <renth/cli/setting_options.hpp>
#include <renth/document/mark.hpp>

namespace renth::cli {

std::function<int()> declare_mark(CLI::App& app, Globals& globals) {
  struct Options {
    std::string name, remove;
    bool list = false;
    SettingOptions setting;
  };
  auto o = std::make_shared<Options>();
  auto* name = app.add_option("name", o->name, "the name to keep the setting by");
  o->setting.declare(app, "the setting");
  auto* list = app.add_flag("--list", o->list, "the settings that are kept (also without anything)");
  app.add_option("--remove", o->remove, "no longer keep the one of this name")
      ->excludes(name)
      ->excludes(list);
  return [o, &globals] {
    Session session(globals.study);
    MarkResult result;
    if (!o->remove.empty())
      result = remove_mark(session, o->remove);
    else if (o->name.empty() || o->list)
      result = list_marks(session);
    else
      result = keep_mark(session, o->name, o->setting.asked());
    print(globals, session.study, result);
    if (!result.done.empty()) log(globals, session);
    return 0;
  };
}

}  // namespace renth::cli
