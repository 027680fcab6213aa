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

Figures of_call(const Study& study, const JournalEntry& e) {
  const bool part = e.point >= 0 && study.solver.per >= 0;
  const double at = part ? study.axes[study.solver.per].points.at(e.point) : NAN;
  return {whole("id", "run", e.run).as(part ? fmt::format("{} at {}", e.run, at) : std::to_string(e.run)),
          number("at", "", at),
          whole("attempt", "try", e.attempt),
          number("started", "began (UTC)", e.started).as(time_text(e.started)),
          number("seconds", "s", e.seconds),
          e.peak_memory > 0 ? number("peak_memory", "", e.peak_memory) : nothing("peak_memory"),
          number("", "MB", e.peak_memory > 0 ? e.peak_memory / 1e6 : NAN, 3),
          text("host", "host", e.host),
          text("user", "user", e.user),
          raw("command", Json::parse(e.command, nullptr, false)),
          raw("inputs_sha256", Json::parse(e.inputs, nullptr, false)),
          text("outcome", "outcome", e.outcome)};
}

Rows calls_of(const Study& study, const JournalResult& r) {
  Rows out;
  for (const JournalEntry& e : r.entries) out.push_back(of_call(study, e));
  return out;
}

}  // namespace

Json to_document(const Study& study, const JournalResult& r) {
  return {{"journal", json_of(calls_of(study, r))}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const JournalResult& r) {
  std::string out =
      fmt::format("{} of the solver.\n\n", count_of(static_cast<int>(r.entries.size()), "call"));
  if (!r.entries.empty()) {
    out += table_of(calls_of(study, r));
    const nlohmann::json words = nlohmann::json::parse(r.entries.back().command, nullptr, false);
    if (words.is_array())
      out += fmt::format("\nlast command: {}\n", as_typed(words.get<std::vector<std::string>>()));
    out += fmt::format("its inputs (SHA-256): {}\n", r.entries.back().inputs);
  }
  return out + notes_of(r.notes);
}

namespace {

Rows reasons_of(const FailuresResult& r) {
  Rows out;
  for (const FailuresResult::Reason& reason : r.reasons)
    out.push_back({whole("", "runs", std::int64_t(reason.runs.size())),
                   per_cent("share", "share", double(reason.runs.size()) / (r.done + r.failed)),
                   text("reason", "reason", reason.text), raw("runs", reason.runs),
                   whole("", "such as run", reason.runs.front())});
  return out;
}

Figures of_rule(const Study& study, const FailuresResult& r) {
  const SeparatingRule& rule = *r.rule;
  return {text("fails_where", "", r.rule_text),
          whole("failed", "", rule.failed),
          whole("failed_inside", "", rule.failed_inside),
          whole("done", "", rule.done),
          whole("done_inside", "", rule.done_inside),
          number("failed_found", "", rule.found),
          number("done_wrong", "", rule.wrong),
          number("separation", "", rule.separation()),
          raw("pair", {study.space[rule.pair.first].name, study.space[rule.pair.second].name}),
          r.limit_text.empty() ? nothing("limit") : text("limit", "", r.limit_text),
          text("verdict", "", r.sentence)};
}

}  // namespace

Json to_document(const Study& study, const FailuresResult& r) {
  const bool any = r.done + r.failed > 0;
  return json_of(Figures{
      whole("done", "", r.done), whole("failed", "", r.failed), whole("partial", "", r.partial),
      any ? number("share", "", r.share) : nothing("share"),
      any ? bounds("interval", "", r.low, r.high, r.level) : nothing("interval"),
      number("level", "", r.level), list("reasons", reasons_of(r)),
      r.rule ? group("rule", of_rule(study, r)) : nothing("rule"), raw("notes", notes_document(r.notes))});
}

std::string to_table(const Study&, const FailuresResult& r) {
  const int all = r.done + r.failed;
  if (all == 0) return "Nothing has been run.\n" + next_step("renth run");
  std::string out = fmt::format("{} of {} runs failed: {:.1f} % ({} interval {:.1f} … {:.1f} %).\n", r.failed,
                                all, 100 * r.share, level_text(r.level), 100 * r.low, 100 * r.high);
  if (r.partial > 0) out += fmt::format("{} more lack axis points.\n", r.partial);
  if (!r.reasons.empty()) {
    out += "\n" + table_of(reasons_of(r));
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
    out += r.rule ? next_step("renth draw failures -o failures.svg")
                  : next_step("renth run --retry-failed", "first look into the folders under runs/");
  return out;
}

}  // namespace renth
