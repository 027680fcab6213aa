#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/window.hpp>
#include <renth/table/table_file.hpp>

namespace renth {
namespace {

using Index = Eigen::Index;

Json span_document(const Study& study, const WindowAnswer& a, const Window& w) {
  Json out = Json::object();
  for (const Index j : a.result.moving) out[study.space[j].name] = {w.low[j], w.high[j]};
  return out;
}

Json window_document(const Study& study, const WindowAnswer& a, const std::optional<Window>& w) {
  if (!w) return nullptr;
  return {{"span", span_document(study, a, *w)},
          {"volume", w->volume},
          {"within", w->within.value},
          {"low", w->within.low},
          {"high", w->within.high}};
}

Json steps_document(const Study& study, const WindowAnswer& a) {
  Json out = Json::array();
  for (const WindowStep& s : a.result.steps) {
    Json narrowed = nullptr;
    if (s.parameter >= 0)
      narrowed = {{"parameter", study.space[s.parameter].name},
                  {"side", s.upper ? "high" : "low"},
                  {"to", s.upper ? s.window.high[s.parameter] : s.window.low[s.parameter]}};
    out.push_back({{"volume", s.window.volume},
                   {"within", s.window.within.value},
                   {"span", span_document(study, a, s.window)},
                   {"narrowed", narrowed}});
  }
  return out;
}

Json binding_document(const Study& study, const WindowAnswer& a) {
  Json out = Json::array();
  for (const WindowBinding& b : a.result.binding)
    out.push_back({{"parameter", study.space[b.parameter].name},
                   {"side", b.upper ? "high" : "low"},
                   {"limit", b.limit}});
  return out;
}

std::string bound_by(const WindowAnswer& a, Index parameter, bool upper) {
  for (const WindowBinding& b : a.result.binding)
    if (b.parameter == parameter && b.upper == upper) return b.limit;
  return "–";
}

std::string window_table(const Study& study, const WindowAnswer& a, const Window& w, bool with_binding) {
  Rows rows;
  for (const Index j : a.result.moving) {
    const Parameter& p = study.space[j];
    rows.push_back({text("", "parameter", with_unit(p.name, p.unit)), text("", "from", pretty(w.low[j], 4)),
                    text("", "to", pretty(w.high[j], 4)),
                    text("", "span", fmt::format("{} … {}", pretty(p.low, 4), pretty(p.high, 4)))});
    if (with_binding) {
      rows.back().push_back(text("", "below it", bound_by(a, j, false)));
      rows.back().push_back(text("", "above it", bound_by(a, j, true)));
    }
  }
  return table_of(rows) + "\n";
}

std::string sentence(const WindowAnswer& a, const char* what, const Window& w) {
  return fmt::format(
      "{}: {:.2f} % of its settings are in specification{}{} ({} {:.2f} to {:.2f}), and it is {:.3g} % of "
      "the "
      "region's box.\n",
      what, 100 * w.within.value, a.scatter ? ", scatter included" : "",
      a.sure > 0 ? fmt::format(", surely by {:.3g} %", 100 * a.sure) : "", level_text(a.level),
      100 * w.within.low, 100 * w.within.high, 100 * w.volume);
}

/// A few of the steps: how much room is left as more and more is in specification.
std::string steps_table(const Study& study, const WindowAnswer& a) {
  const std::vector<WindowStep>& steps = a.result.steps;
  Rows rows;
  constexpr std::size_t most = 8;
  const std::size_t n = steps.size();
  for (std::size_t i = 0; i < std::min(n, most); ++i) {
    const WindowStep& s = steps[n <= most ? i : i * (n - 1) / (most - 1)];
    rows.push_back(
        {text("", "box left [%]", pretty(100 * s.window.volume, 3)),
         per_cent("", "in specification", s.window.within.value, 4),
         text("", "last side taken in",
              s.parameter < 0
                  ? "–"
                  : fmt::format("{} {} {:.4g}", study.space[s.parameter].name, s.upper ? "<=" : ">=",
                                s.upper ? s.window.high[s.parameter] : s.window.low[s.parameter]))});
  }
  return rows.empty() ? ""
                      : "\nTaking in a side at a time, from all of the region:\n" + table_of(rows) + "\n";
}

}  // namespace

Json to_document(const Study& study, const WindowAnswer& a) {
  Json held = Json::object();
  for (const auto& [name, value] : a.held) held[name] = json_value(value);
  Notes notes = a.notes;
  if (!a.result.by_hand) notes.push_back({"by_hand", "by_hand is null: --span p=lo..hi narrows by hand"});
  Json out = {{"target", a.result.target},
              {"window", window_document(study, a, a.result.window)},
              {"steps", steps_document(study, a)},
              {"by_hand", window_document(study, a, a.result.by_hand)},
              {"binding", binding_document(study, a)},
              {"held", held},
              {"kept_as", a.kept_as.empty() ? Json(nullptr) : Json(a.kept_as)},
              {"level", a.level}};
  if (a.kept_as.empty()) notes.push_back({"kept_as", "kept_as is null: --keep-as NAME keeps the window"});
  out["notes"] = notes_document(notes);
  return out;
}

std::string to_table(const Study& study, const WindowAnswer& a) {
  std::string out;
  if (a.result.by_hand)
    out +=
        sentence(a, "by hand", *a.result.by_hand) + window_table(study, a, *a.result.by_hand, false) + "\n";
  if (a.result.window)
    out += sentence(a, "window", *a.result.window) + window_table(study, a, *a.result.window, true);
  else
    out += fmt::format("No window: no box has {:.4g} % in specification.\n", 100 * a.result.target);
  std::vector<std::string> held;
  for (const auto& [name, value] : a.held)
    held.push_back(std::visit([&, n = name](const auto& v) { return fmt::format("{}={}", n, v); }, value));
  if (!held.empty()) out += "held: " + listed(held) + "\n";
  out += steps_table(study, a) + notes_of(a.notes);
  if (!a.kept_as.empty())
    out +=
        fmt::format("The window is kept as {}.\n", a.kept_as) +
        next_step("renth init narrow --from . --window " + a.kept_as, "a study of the window, with its runs");
  else if (a.result.window)
    out += next_step("renth window --keep-as operating", "keeps it");
  return out;
}

std::string window_sample_csv(const Study& study, const WindowAnswer& a) {
  std::string out;
  for (Index j = 0; j < study.space.size(); ++j) out += csv_cell(study.space[j].name) + ",";
  out += "in_specification\n";
  for (Index i = 0; i < a.result.sample.rows(); ++i) {
    for (Index j = 0; j < study.space.size(); ++j) {
      const Parameter& p = study.space[j];
      const double v = a.result.sample(i, j);
      out += (p.is_choice() ? csv_cell(p.choices[std::size_t(v)]) : fmt::format("{}", v)) + ",";
    }
    out += a.result.pass[std::size_t(i)] ? "1\n" : "0\n";
  }
  return out;
}

}  // namespace renth
