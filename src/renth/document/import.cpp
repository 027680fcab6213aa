#include <fmt/format.h>

#include <renth/document/import.hpp>
#include <renth/document/parts.hpp>

namespace renth {

Json to_document(const Study&, const ImportResult& r) {
  Rows refused;
  for (const auto& [line, why] : r.refused)
    refused.push_back({whole("line", "", line), text("why", "", why)});
  return json_of(Figures{text("batch", "", r.batches.empty() ? "" : r.batches.front()),
                         raw("batches", r.batches), whole("filled", "", r.filled),
                         whole("added", "", r.added), whole("planned", "", r.planned),
                         whole("unchanged", "", r.unchanged), list("refused", std::move(refused)),
                         raw("notes", notes_document(r.notes))});
}

std::string to_table(const Study&, const ImportResult& r) {
  std::string out = fmt::format(
      "{} runs filled in, {} runs added, {} added as planned, {} as they were, {} rows refused.\n", r.filled,
      r.added, r.planned, r.unchanged, r.refused.size());
  for (const auto& [line, why] : r.refused) out += fmt::format("  line {}: {}\n", line, why);
  return out + notes_of(r.notes) + next_step("renth fit");
}

Json to_document(const Study&, const TakeInResult& r) {
  return json_of(Figures{whole("done", "", r.done), whole("failed", "", r.failed),
                         whole("planned", "", r.planned), whole("known", "", r.known),
                         raw("notes", notes_document(r.notes))});
}

std::string to_table(const Study&, const TakeInResult& r) {
  return fmt::format("{} taken in: {} done, {} failed, {} had not ended and are planned; {} known already.\n",
                     count_of(r.done + r.failed + r.planned, "run"), r.done, r.failed, r.planned,
                     r.known == 0 ? "none was" : fmt::format("{} were", r.known)) +
         notes_of(r.notes) + next_step(r.planned > 0 ? "renth run" : "renth fit");
}

}  // namespace renth
