#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/base/error.hpp>
#include <renth/base/names.hpp>
#include <renth/workflow/seeking.hpp>
#include <renth/workflow/windowing.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

nlohmann::json value_json(const Value& value) {
  return std::visit([](const auto& v) { return nlohmann::json(v); }, value);
}

void keep_window(Session& session, const std::string& name, WindowAnswer& out) {
  if (!is_identifier(name))
    throw Error(name + " is no name", "--keep-as",
                "use letters, digits and underscores, beginning with a letter");
  const std::optional<Window>& window = out.result.by_hand ? out.result.by_hand : out.result.window;
  if (!window) {
    add_note(out.notes, "not_kept", "there is no window to be kept");
    return;
  }
  nlohmann::json document = {{"span", nlohmann::json::object()}, {"held", nlohmann::json::object()}};
  for (const Index j : out.result.moving)
    document["span"][session.study.space[j].name] = {window->low[j], window->high[j]};
  for (const auto& [parameter, value] : out.held) document["held"][parameter] = value_json(value);
  session.store.save_window(name, document);
  out.kept_as = name;
}

void note_what_was_found(const Study& study, const FittedStudy& fitted, const Specification& specification,
                         const WindowRequest& request, WindowAnswer& out) {
  note_limits(study, fitted, specification.options().accept, out.notes);
  if (!out.result.window)
    add_note(out.notes, "no_window",
             fmt::format("no box of settings has {:.4g} % in specification; the most that was found has "
                         "{:.4g} %: ask for less "
                         "(--within), hold something (--hold), or see what costs the yield (renth tolerance)",
                         100 * request.within, 100 * out.result.most_within));
  if (!out.scatter)
    add_note(out.notes, "no_scatter",
             "no parameter has scatter: settings are counted as if they were held exactly");
  bool choices = false;
  for (const Parameter& p : study.space.parameters()) choices = choices || p.is_choice();
  if (choices)
    add_note(out.notes, "choices_held",
             "choices are held: at --hold, else as the setting given, else nominal");
}

}  // namespace

WindowAnswer window_of(Session& session, const WindowRequest& request) {
  const Study& study = session.study;
  if (request.sure != 0 && !(request.sure > 0.5 && request.sure < 1))
    throw Error(fmt::format("{} is no probability to be sure with", request.sure), "--sure",
                "give one between 0.5 and 1, such as 0.95");
  const FittedStudy fitted(session, {});
  WindowAnswer out;
  out.level = request.level;
  out.sure = request.sure;
  out.notes = fitted.notes();
  SpecificationOptions specified;
  specified.mean_only = request.mean_only;
  specified.sure = request.sure;
  const ProductionModel model(session, fitted, request.set, request.accept, specified, out.notes);
  out.scatter = model.scatters();
  WindowOptions options;
  options.within = request.within;
  options.level = request.level;
  options.hold = held(study, request.hold);
  if (request.centre.any()) options.centre = setting_asked(session, request.centre);
  for (const auto& [name, ends] : request.span) {
    const auto j = study.space.find(name);
    if (!j) refuse_unknown("parameter", name, "--span", study.order);
    options.by_hand[*j] = ends;
  }
  out.result =
      find_window(model.specification(), options, hash64("window", request.seed.value_or(study.seed)));
  const Eigen::VectorXd base = options.centre.value_or(study.space.nominal());
  for (Index j = 0; j < study.space.size(); ++j)
    if (std::find(out.result.moving.begin(), out.result.moving.end(), j) == out.result.moving.end()) {
      const Parameter& p = study.space[j];
      const double v =
          !options.hold.empty() && options.hold[std::size_t(j)] ? *options.hold[std::size_t(j)] : base[j];
      out.held[p.name] = p.is_choice() ? Value(p.choices[std::size_t(v)]) : Value(v);
    }
  note_what_was_found(study, fitted, model.specification(), request, out);
  if (!request.keep_as.empty()) keep_window(session, request.keep_as, out);
  return out;
}

KeptWindow kept_window(Session& session, const std::string& name) {
  const auto windows = session.store.windows();
  const auto found = windows.find(name);
  if (found == windows.end()) {
    std::vector<std::string> known;
    for (const auto& [n, document] : windows) known.push_back(n);
    if (known.empty())
      throw Error("no window is kept", "--window " + name, "renth window --keep-as " + name + " keeps one");
    refuse_unknown("window", name, "--window", known);
  }
  KeptWindow out;
  for (const auto& [parameter, ends] : found->second.at("span").items())
    out.span[parameter] = {ends.at(0).get<double>(), ends.at(1).get<double>()};
  out.held = settings_from_json(found->second.at("held"));
  return out;
}

}  // namespace renth
