// Tables of running: what a run came to, what it would do, who ran what when, and where it fails.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ctime>
#include <renth/study/shell.hpp>
#include <renth/study/tables.hpp>

namespace renth {
namespace {

std::string count_of(int n, const char* one) {
  return fmt::format("{} {}{}", n, one, n == 1 ? "" : "s");
}

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

/// A command to be read and pasted: quotes only where they are needed.
std::string as_typed(const std::vector<std::string>& words) {
  std::string out;
  for (const std::string& w : words) {
    const bool plain = !w.empty() && w.find_first_of(" \t\n'\"\\$&|;<>()*?[]#~`") == std::string::npos;
    out += (out.empty() ? "" : " ") + (plain ? w : shell_quoted(w));
  }
  return out;
}

}  // namespace

std::string to_table(const Study&, const RunSummary& r) {
  std::string out =
      fmt::format("{} done, {} failed, {} left to run.\n", count_of(r.done, "run"), r.failed, r.left);
  if (r.copied > 0)
    out += fmt::format("{} of them took the result of a run with the same settings.\n", r.copied);
  if (r.partial > 0) out += fmt::format("{} of the done ones lack axis points.\n", r.partial);
  if (r.submitted > 0) out += fmt::format("{} given to the cluster.\n", count_of(r.submitted, "call"));
  for (std::size_t i = 0; i < r.failures.size() && i < 8; ++i)
    out += fmt::format("  run {} failed: {}\n", r.failures[i].first, r.failures[i].second);
  if (r.failures.size() > 8) out += fmt::format("  … and {} more\n", r.failures.size() - 8);
  out += notes_of(r.notes);
  if (r.stopped && r.queued == 0)
    out += "Stopped: nothing is lost. next: renth run, to go on\n";
  else if (r.failed > 0)
    out += "next: renth runs --failures\n";
  else if (r.left == 0)
    out += "next: renth fit\n";
  return out;
}

std::string to_table(const Study& study, const DryRun& r) {
  if (r.calls.empty()) return "Nothing is planned. next: renth plan\n" + notes_of(r.notes);
  const DryRun::OfCall& first = r.calls.front();
  std::string out = fmt::format("{} would be made, {} at once; the first:\n\nin      {}\ncommand {}\n",
                                count_of(static_cast<int>(r.calls.size()), "call"), r.jobs, first.folder,
                                as_typed(first.command));
  for (const auto& [file, text] : first.inputs) {
    out += fmt::format("\n{}\n", file);
    for (std::size_t at = 0; at < text.size();) {
      const std::size_t end = std::min(text.find('\n', at), text.size());
      out += "  | " + text.substr(at, end - at) + "\n";
      at = end + 1;
    }
  }
  if (!study.solver.environment.empty()) {
    out += "\nenvironment\n";
    for (const auto& [key, value] : study.solver.environment) out += fmt::format("  | {}={}\n", key, value);
  }
  return out + "\n" + notes_of(r.notes) + "next: renth run (all inputs: renth run --dry-run --json)\n";
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

std::string to_table(const Study& study, const SampleCheck& r) {
  std::string out;
  TextTable table({"response", "value"});
  for (const Response& x : study.responses) {
    const auto found = r.values.find(x.name);
    if (found == r.values.end()) continue;
    std::string text;
    for (const double v : found->second)
      text += (text.empty() ? "" : ", ") + (std::isfinite(v) ? pretty(v, 8) : std::string("missing"));
    table.text(with_unit(x.name, x.unit)).text(text).end_row();
  }
  if (r.problems.empty())
    out += fmt::format("All responses are found in {}.\n\n", r.file);
  else
    out += fmt::format("{} in {}:\n", count_of(static_cast<int>(r.problems.size()), "problem"), r.file);
  for (const std::string& p : r.problems) out += "  " + p + "\n";
  if (!r.values.empty()) out += (r.problems.empty() ? "" : "\n") + table.str();
  return out + notes_of(r.notes);
}

}  // namespace renth
