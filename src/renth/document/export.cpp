#include <fmt/format.h>

#include <renth/document/export.hpp>
#include <renth/document/parts.hpp>
#include <sstream>

namespace renth {
namespace {

Rows response_rows(const ModelExport& r) {
  Rows out;
  for (const auto& one : r.responses)
    out.push_back({text("response", "response", one.response), text("kind", "kind", one.kind),
                   text("verdict", "verdict", one.verdict)});
  return out;
}

}  // namespace

Json to_document(const Study&, const ModelExport& r) {
  return {{"file", r.file},
          {"bytes", r.bytes},
          {"responses", json_of(response_rows(r))},
          {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const ModelExport& r) {
  std::string out =
      fmt::format("Wrote the surrogates of {} to {} ({:.3g} MB). {}\n\n",
                  count_of(int(r.responses.size()), "response"), r.file, double(r.bytes) / 1e6, r.how) +
      table_of(response_rows(r)) + notes_of(r.notes);
  if (r.next.empty()) return out;
  std::string at = describe(study.space, study.space.nominal());
  for (std::size_t i; (i = at.find(", ")) != at.npos;) at.erase(i + 1, 1);
  std::vector<std::string> words;
  std::istringstream next(r.next);
  for (std::string word; next >> word;) words.push_back(word == "FILE" ? r.file : word == "AT" ? at : word);
  return out + next_step(as_typed(words));
}

}  // namespace renth
