#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ctime>
#include <renth/document/failures.hpp>
#include <renth/document/parts.hpp>

namespace renth {
namespace {

/// UTC, to the second.
std::string time_text(double seconds) {
  if (!(seconds > 0)) return "";
  const auto whole = static_cast<std::time_t>(seconds);
  std::tm parts{};
  gmtime_r(&whole, &parts);
  char text[32];
  std::strftime(text, sizeof text, "%Y-%m-%d %H:%M:%S", &parts);
  return text;
}

}  // namespace

Json to_document(const Study& study, const JournalResult& r) {
  Json entries = Json::array();
  for (const JournalEntry& e : r.entries) {
    const Json at = e.point < 0 || study.solver.per < 0
                        ? Json(nullptr)
                        : Json(study.axes[study.solver.per].points.at(e.point));
    entries.push_back({{"id", e.run},
                       {"at", at},
                       {"attempt", e.attempt},
                       {"started", json_number(e.started)},
                       {"seconds", e.seconds},
                       {"peak_memory", e.peak_memory > 0 ? Json(e.peak_memory) : Json(nullptr)},
                       {"host", e.host},
                       {"user", e.user},
                       {"command", Json::parse(e.command, nullptr, false)},
                       {"inputs_sha256", Json::parse(e.inputs, nullptr, false)},
                       {"outcome", e.outcome}});
  }
  return {{"journal", entries}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const JournalResult& r) {
  TextTable table({"run", "try", "began (UTC)", "s", "MB", "host", "user", "outcome"});
  for (const JournalEntry& e : r.entries) {
    const std::string at = e.point < 0 || study.solver.per < 0
                               ? ""
                               : fmt::format(" at {}", study.axes[study.solver.per].points.at(e.point));
    table.text(fmt::format("{}{}", e.run, at))
        .text(std::to_string(e.attempt))
        .text(time_text(e.started))
        .number(e.seconds, 4);
    table.number(e.peak_memory > 0 ? e.peak_memory / 1e6 : NAN, 3)
        .text(e.host)
        .text(e.user)
        .text(e.outcome)
        .end_row();
  }
  std::string out =
      fmt::format("{} of the solver.\n\n", count_of(static_cast<int>(r.entries.size()), "call"));
  if (!r.entries.empty()) {
    out += table.str();
    const nlohmann::json words = nlohmann::json::parse(r.entries.back().command, nullptr, false);
    if (words.is_array())
      out += fmt::format("\nlast command: {}\n", as_typed(words.get<std::vector<std::string>>()));
    out += fmt::format("its inputs (SHA-256): {}\n", r.entries.back().inputs);
  }
  return out + notes_of(r.notes);
}

Json to_document(const Study& study, const FailuresResult& r) {
  Json reasons = Json::array(), rule = nullptr;
  const int all = r.done + r.failed;
  for (const FailuresResult::Reason& reason : r.reasons)
    reasons.push_back({{"reason", reason.text},
                       {"share", static_cast<double>(reason.runs.size()) / all},
                       {"runs", reason.runs}});
  if (r.rule) {
    rule = {{"fails_where", r.rule_text},
            {"failed", r.rule->failed},
            {"failed_inside", r.rule->failed_inside},
            {"done", r.rule->done},
            {"done_inside", r.rule->done_inside},
            {"failed_found", r.rule->found},
            {"done_wrong", r.rule->wrong},
            {"separation", r.rule->separation()},
            {"pair", {study.space[r.rule->pair.first].name, study.space[r.rule->pair.second].name}},
            {"limit", r.limit_text.empty() ? Json(nullptr) : Json(r.limit_text)},
            {"verdict", r.sentence}};
  }
  return {{"done", r.done},
          {"failed", r.failed},
          {"partial", r.partial},
          {"share", all > 0 ? Json(r.share) : Json(nullptr)},
          {"interval", all > 0 ? Json{r.low, r.high} : Json(nullptr)},
          {"reasons", reasons},
          {"rule", rule},
          {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study&, const FailuresResult& r) {
  const int all = r.done + r.failed;
  if (all == 0) return "Nothing has been run. next: renth run\n";
  std::string out = fmt::format("{} of {} runs failed: {:.1f} % (95 % interval {:.1f} … {:.1f} %).\n",
                                r.failed, all, 100 * r.share, 100 * r.low, 100 * r.high);
  if (r.partial > 0) out += fmt::format("{} more lack axis points.\n", r.partial);
  if (!r.reasons.empty()) {
    out += "\n";
    TextTable table({"runs", "share %", "reason", "such as run"});
    for (const FailuresResult::Reason& reason : r.reasons)
      table.text(std::to_string(reason.runs.size()))
          .number(100.0 * static_cast<double>(reason.runs.size()) / all, 3)
          .text(reason.text)
          .text(std::to_string(reason.runs.front()))
          .end_row();
    out += table.str();
  }
  if (r.rule) {
    out += fmt::format(
        "\n{}  {}\n  {} of the {} failed runs lie there, and {} of the {} that are done.\n"
        "  On runs left out of the search for it: {:.0f} % of the failed, {:.0f} % of the done.\n",
        r.rule->separation() >= 0.3 ? "They fail where" : "The best of the simple rules:", r.rule_text,
        r.rule->failed_inside, r.rule->failed, r.rule->done_inside, r.rule->done, 100 * r.rule->found,
        100 * r.rule->wrong);
    out += fmt::format("{}\n", r.sentence);
    if (!r.limit_text.empty())
      out += fmt::format("\nTo stay out of there{}, in study.toml:\n\n  [[limit]]\n  keep = \"{}\"\n",
                         r.rule->done_inside > 0
                             ? fmt::format(" (which gives up {:.0f} % of the settings that worked)",
                                           100.0 * r.rule->done_inside / r.rule->done)
                             : "",
                         r.limit_text);
  }
  out += notes_of(r.notes);
  if (r.failed > 0)
    out += r.rule ? "next: renth draw failures -o failures.svg\n"
                  : "next: look into the folders under runs/, then renth run --retry-failed\n";
  return out;
}

}  // namespace renth
