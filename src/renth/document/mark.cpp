#include <renth/document/mark.hpp>
#include <renth/document/parts.hpp>

namespace renth {
namespace {

Rows mark_rows(const Study& study, const MarkResult& r) {
  Rows out;
  for (const MarkResult::Mark& m : r.marks) {
    Figures row = {text("mark", "mark", m.name), text("date", "date (UTC)", m.date)};
    row.push_back(m.point ? setting("point", study, *m.point) : nothing("point"));
    out.push_back(std::move(row));
  }
  return out;
}

}  // namespace

Json to_document(const Study& study, const MarkResult& r) {
  return {{"marks", json_of(mark_rows(study, r))}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study& study, const MarkResult& r) {
  std::string out = r.done.empty() ? "" : r.done + ".\n";
  if (r.marks.empty()) return out + (r.done.empty() ? "No setting is marked.\n" : "");
  Rows fitting;
  for (Figures& row : mark_rows(study, r))
    if (row.back().key != "point" || !std::holds_alternative<Json>(row.back().value))
      fitting.push_back(std::move(row));
  return out + (out.empty() ? "" : "\n") + table_of(fitting) + notes_of(r.notes);
}

}  // namespace renth
