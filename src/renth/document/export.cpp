#include <fmt/format.h>

#include <renth/document/export.hpp>
#include <renth/document/parts.hpp>

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
  std::string at = describe(study.space, study.space.nominal());
  for (std::size_t i; (i = at.find(", ")) != at.npos;) at.erase(i + 1, 1);

  return fmt::format("Wrote the surrogates of {} to {} ({:.3g} MB).\n\n",
                     count_of(int(r.responses.size()), "response"), r.file, double(r.bytes) / 1e6) +
         table_of(response_rows(r)) + notes_of(r.notes) +
         next_step(as_typed({"renth", "predict", "--from-model", r.file, "--at", at}), "anywhere");
}

}  // namespace renth
