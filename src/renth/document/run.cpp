#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/run.hpp>

namespace renth {

Json to_document(const Study&, const RunSummary& r) {
  Rows failures;
  for (const auto& [id, message] : r.failures)
    failures.push_back({whole("id", "", id), text("message", "", message)});
  return json_of(Figures{whole("done", "", r.done), whole("partial", "", r.partial),
                         whole("failed", "", r.failed), whole("left", "", r.left),
                         whole("adopted", "", r.adopted), whole("copied", "", r.copied),
                         whole("submitted", "", r.submitted), whole("queued", "", r.queued),
                         whole("scheduler_calls", "", r.scheduler_calls), yes_no("stopped", "", r.stopped),
                         list("failures", std::move(failures)), raw("notes", notes_document(r.notes))});
}

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
    out += "Stopped: nothing is lost.\n" + next_step("renth run", "goes on");
  else if (r.failed > 0)
    out += next_step("renth runs --failures");
  else if (r.left == 0)
    out += next_step("renth fit");
  return out;
}

Json to_document(const Study& study, const DryRun& r) {
  Rows calls;
  for (const DryRun::OfCall& c : r.calls) {
    Rows inputs;
    for (const auto& [file, content] : c.inputs)
      inputs.push_back({text("file", "", file), text("text", "", content)});
    calls.push_back(
        {whole("id", "", c.run),
         c.point < 0 ? nothing("at") : number("at", "", study.axes[study.solver.per].points[c.point]),
         text("folder", "", c.folder), raw("command", c.command), list("inputs", std::move(inputs))});
  }
  return {{"runs", json_of(calls)}, {"jobs", r.jobs}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const DryRun& r) {
  if (r.calls.empty()) return "Nothing is planned.\n" + notes_of(r.notes) + next_step("renth plan");
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
  return out + "\n" + notes_of(r.notes) + next_step("renth run", "all inputs: renth run --dry-run --json");
}

}  // namespace renth
