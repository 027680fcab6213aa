#include <renth/document/named_fits.hpp>
#include <renth/document/parts.hpp>

namespace renth {
namespace {

Rows rows_of(const NamedFitsResult& r) {
  Rows out;
  for (const NamedFit& f : r.fits)
    out.push_back({text("name", "name", f.name), text("response", "response", f.response),
                   text("kind", "kind", f.kind), whole("runs", "runs", f.runs),
                   text("date", "fitted (UTC)", f.date), yes_no("current", "current", f.current, "yes", "")});
  return out;
}

}  // namespace

Json to_document(const Study&, const NamedFitsResult& r) {
  return {{"fits", json_of(rows_of(r))}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study&, const NamedFitsResult& r) {
  if (r.fits.empty())
    return "No fit has a name yet.\n" + notes_of(r.notes) +
           (r.any_current ? next_step("renth fit --current --as first", "keeps the current fits by a name")
                          : next_step("renth fit --as first", "fits, and keeps the fits by a name"));
  return table_of(rows_of(r)) + "\n" + notes_of(r.notes);
}

}  // namespace renth
