#include <renth/document/log.hpp>
#include <renth/document/parts.hpp>

namespace renth {
namespace {

std::string typed(const LoggedCommand& c) {
  std::vector<std::string> words = {"renth"};
  words.insert(words.end(), c.words.begin(), c.words.end());
  return as_typed(words);
}

Rows command_rows(const LogResult& r) {
  Rows out;
  for (const LoggedCommand& c : r.commands)
    out.push_back({whole("id", "", c.id), text("date", "date (UTC)", c.date),
                   whole("status", "status", c.status), text("command", "command", typed(c)),
                   raw("words", c.words)});
  return out;
}

Rows result_rows(const LogResult& r) {
  Rows out;
  for (const LogResult::Found& f : r.results)
    out.push_back({text("verb", "last result of", f.verb), text("variant", "", f.variant).as(f.variant),
                   text("date", "date (UTC)", f.date),
                   f.up_to_date
                       ? yes_no("up_to_date", "up to date", *f.up_to_date, "yes", "no: something has changed")
                       : Figure{"up_to_date", "up to date", Json(nullptr)}});
  return out;
}

}  // namespace

Json to_document(const Study&, const LogResult& r) {
  return {{"commands", json_of(command_rows(r))},
          {"results", json_of(result_rows(r))},
          {"notes", notes_document(r.notes)}};
}

std::string to_table(const Study&, const LogResult& r) {
  if (r.commands.empty()) return "No command has been kept yet.\n";
  return table_of(command_rows(r)) + (r.results.empty() ? "" : "\n" + table_of(result_rows(r))) +
         notes_of(r.notes);
}

}  // namespace renth
